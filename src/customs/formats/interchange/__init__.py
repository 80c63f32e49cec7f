"""Interchange files through libassimp: in a child process, arrays handed over, our own scene made of them."""
