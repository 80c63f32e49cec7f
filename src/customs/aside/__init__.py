"""Work that is done in a process of its own: libraries in C read what nobody vouches for."""
