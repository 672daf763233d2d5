"""The document: an immutable Study, operations on it, its file, and the engine that computes what it asks for.

A study is a value. study/model.py is an immutable structure; study/operations.py takes one and returns another. Undo keeps
the old one. Window and command line call the same operations and the same evaluation, so their numbers are identical.

Values are structures. Everything immutable is a msgspec.Struct: cheap to define, so that a command starts at once, and the
same whether it is computed or kept in a file. A study that is opened is held to the rules of the operations
(study/validation.py).

What the user decided stands in one file. settings.py is a value in a file that can be read and forgotten; it changes what is
offered, how dates that may be read both ways are taken, and what new channels state (study/usual.py, in the window and on the
command line alike); each of these is said where it acts. help_pages.py serves the documentation that ships with the program.

Nothing is lost. saving.py replaces a file whole or not at all, through links, with its permissions; study/recovery.py keeps
what each window has not saved, locked as long as the window lives; a study that another window has saved is saved beside it.
"""
