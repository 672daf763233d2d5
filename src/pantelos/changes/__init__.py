"""What can be changed of a study in words: a row per option, the same for the command line and the library."""
