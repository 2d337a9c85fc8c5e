"""The Tern Street demonstration: unit files, and the data made by really running the bench on them."""
