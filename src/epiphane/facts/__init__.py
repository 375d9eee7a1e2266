"""What follows from the document alone: hits, the bar grid, what is on screen and when."""
