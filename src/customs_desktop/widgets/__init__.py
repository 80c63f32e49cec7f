"""Part of the window: widgets."""
