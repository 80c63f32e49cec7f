"""The stand-in for the destination: it reads only the written package, by the sheet."""
