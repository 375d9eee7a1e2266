"""Pages of the bench for shots of the main row, and the footage in them."""
