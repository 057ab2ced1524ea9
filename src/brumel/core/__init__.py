"""The trade, pure: no interface, no database, no clock, no files but its own tables."""
