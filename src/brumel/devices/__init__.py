"""Talking to meters, and the simulated bench that ships with the application."""
