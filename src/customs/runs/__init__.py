"""Many goods one after another and side by side, each in a process of its own that is watched; what came of them is kept."""
