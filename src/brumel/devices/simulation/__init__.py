"""The bench that ships with the application: one physical model a sensing principle, with its faults."""
