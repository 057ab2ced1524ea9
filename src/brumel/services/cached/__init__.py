"""What was worked out before and is still true."""
