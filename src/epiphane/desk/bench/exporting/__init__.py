"""Pages of the bench for exports: how a film is to be, the queue, and what goes to other programs."""
