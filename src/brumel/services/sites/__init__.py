"""Sites: what they are, what their waters must keep, what was read there."""
