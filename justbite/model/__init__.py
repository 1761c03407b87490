"""What the stages hand each other: job, bite, moves, findings. Frozen value objects."""
