"""Calibrating: runs, their rows, and what is stored of them."""
