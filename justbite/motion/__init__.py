"""Motion: what the machine makes of the moves. Held feed and minutes."""
