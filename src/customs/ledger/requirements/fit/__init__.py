"""Requirements of the desk fit."""
