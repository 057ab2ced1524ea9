"""The calculations of the trade, one decorated function each; importing a module registers what is in it."""
