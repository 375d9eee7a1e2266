"""Every change to the document, as a pure function from Project to Project."""
