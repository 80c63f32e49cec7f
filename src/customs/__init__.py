"""Customs: the core, without interface code."""

import os

# Settings and sheets are ours alone, and a look for plugins of others goes through all that is installed.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
