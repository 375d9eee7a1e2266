"""Open formats by which an edit goes to other programs and comes back, one file each."""
