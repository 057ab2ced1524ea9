"""What probes have in common: a signal that is linear in coefficients, one fit, and what a fit gives."""
