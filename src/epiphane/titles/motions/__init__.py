"""How text arrives and leaves: one file each, declared."""
