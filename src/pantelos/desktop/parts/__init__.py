"""Small widgets that every page is made of."""
