"""The command line: everything the window does to a study, without a window, with identical numbers.

A command loads what it uses. cli/main.py finds the module of a command, cli/command.py makes its arguments of the function's
annotations; readers, writers, the formula compiler and heavy libraries are loaded where they are first needed. A test holds
it, a benchmark bounds it.
"""
