"""Visiting: sites, rounds and readings."""
