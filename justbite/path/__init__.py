"""Path: entry, constant-engagement clearing of a level, links. The heart of the app."""
