"""`python -m customs`."""

from customs.cli import main

main()
