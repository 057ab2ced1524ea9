"""What stands in a record: which plain data it may hold."""
