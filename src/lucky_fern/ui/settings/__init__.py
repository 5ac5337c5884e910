"""What is selected, and its few settings: one file for each kind of layer."""
