"""Reading and writing files of picture and sound."""
