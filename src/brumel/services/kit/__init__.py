"""Kit: probes and meters, their care, and what each is worth now."""
