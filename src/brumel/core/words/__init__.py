"""What is said, by keys and values; and the catalogue that words it for who reads."""
