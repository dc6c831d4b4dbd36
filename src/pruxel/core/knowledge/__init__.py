"""What is known of a game."""
