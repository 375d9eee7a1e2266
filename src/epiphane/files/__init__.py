"""The files of a project: the project itself, and the journal of what has not been saved."""
