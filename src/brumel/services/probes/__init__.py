"""What a probe is, what it feels and what it is worth: below the kit and calibrating."""
