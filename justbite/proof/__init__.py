"""Proof: the written program read back and run on a height map of its own.

Shares no computation with `path`.
"""
