"""Skeletons by themselves: order, names, bones of a person, pairs."""
