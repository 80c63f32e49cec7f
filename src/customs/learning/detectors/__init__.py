"""One detector for each key of a sheet that examples can tell; each module adds its own."""
