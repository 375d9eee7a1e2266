"""Edits of items on tracks over the shots, titles among them."""
