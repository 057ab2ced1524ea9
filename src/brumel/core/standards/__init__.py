"""Standards: their values at temperature, as tables with their sources, and the look-up."""
