"""The plan backwards from departure: what to do when, so that every probe is ready."""
