"""Exercises with the simulated phone: predict, shoot, see, with the truth shown."""
