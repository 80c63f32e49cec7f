"""Where everything is at one moment."""
