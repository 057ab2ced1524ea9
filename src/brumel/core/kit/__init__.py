"""Probes and what they need before they may be trusted: kinds, care, inspection, readiness."""
