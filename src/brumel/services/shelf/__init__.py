"""Shelf: lots, and what will be needed."""
