"""Reading a water: whether a value can be relied on."""
