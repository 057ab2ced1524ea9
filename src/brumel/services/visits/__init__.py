"""Visits: opened, filled, shown, finished."""
