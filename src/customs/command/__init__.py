"""What the commands of the command line do; each is loaded when it is asked for."""
