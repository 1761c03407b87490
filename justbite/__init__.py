"""Just Bite's core: part in, bite, path, proof, NC out. Imports nothing of Django."""

__version__ = "0.1.0"
