"""What a test makes up: a quantity, a principle, a kind, its care, standards and a method."""
