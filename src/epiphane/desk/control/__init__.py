"""What is done with cues, lanes, shots, pulses, recipes, footage and files, and what is selected."""
