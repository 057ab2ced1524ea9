"""Bare numbers: arrays, curves through points, samples in time, constants of nature."""
