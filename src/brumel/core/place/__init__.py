"""What is known of the place where a probe is calibrated or read."""
