"""How figures and traces come onto the screen and into pictures."""
