"""Distance fields on regular grids; the ground on which the path is computed."""
