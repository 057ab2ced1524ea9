"""Readings: as they are entered, corrected, judged, recorded, amended, and what follows from them."""
