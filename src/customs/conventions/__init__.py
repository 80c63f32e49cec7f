"""Axes, handedness, units, facing, front; origins and their presets."""
