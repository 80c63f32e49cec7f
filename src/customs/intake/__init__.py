"""Looking at what is there and taking it in."""
