"""Pages of the bench for items on tracks over the shots, titles among them."""
