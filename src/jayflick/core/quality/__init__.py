"""How like two pictures are."""
