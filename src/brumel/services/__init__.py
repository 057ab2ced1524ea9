"""What a screen or a command asks for; owns transactions, knows no HTTP."""
