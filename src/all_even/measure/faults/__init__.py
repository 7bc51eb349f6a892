"""What is wrong with a recording, and how it is said."""
