"""Pictures: one module each."""
