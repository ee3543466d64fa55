"""Running simulations in worker processes: progress, cancelling, crashes, and the frames that they leave."""
