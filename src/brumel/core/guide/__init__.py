"""The guide: what a technician does in a day, task by task."""
