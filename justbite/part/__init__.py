"""Part in: drawings read into areas and islands."""
