"""Live: the link to a line, the samples, and who looks at them."""
