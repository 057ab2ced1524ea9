"""pH glass: its terms, what its signal shows, how its value is read as another quantity."""
