"""Steps of the desk Motion that change clips."""
