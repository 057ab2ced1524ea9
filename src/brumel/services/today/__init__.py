"""The technician's day: the ribbon, and what to do now and next."""
