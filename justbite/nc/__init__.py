"""NC: the program as text (ISO 6983 word address), written and read back."""
