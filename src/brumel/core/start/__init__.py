"""What the guided start proposes to a house that has nothing yet."""
