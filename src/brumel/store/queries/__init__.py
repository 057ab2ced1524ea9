"""Queries, by what they read."""
