"""When a reading is stable, how long until it is, and what it is where it never will be."""
