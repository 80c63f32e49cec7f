"""Rigs against other rigs, and what is left over in one."""
