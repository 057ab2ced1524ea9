"""Calculating for people and scripts: units as typed, lines and files, pictures. Needs no database."""
