"""Steps of the desk Surface that change materials."""
