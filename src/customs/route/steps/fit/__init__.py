"""Steps of the desk fit."""
