"""The shelf: footage and effects to take from."""
