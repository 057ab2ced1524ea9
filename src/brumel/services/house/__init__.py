"""Decisions of a house: the rules that are in force, and what it chose."""
