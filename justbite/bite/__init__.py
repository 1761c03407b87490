"""Bite: engagement, chip, force, ceilings and the solver that chooses among them."""
