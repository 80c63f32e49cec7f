"""Recipes: routes kept for goods of a kind, to be run on many."""
