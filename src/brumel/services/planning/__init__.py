"""Planning: rounds, their plan and its calendar."""
