"""What files are that hold no recording, or hold one within, by their first bytes: to say so in one word."""

import struct

ZIPPED = b"PK\x03\x04"
_KINDS = (
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"GIF8", "a picture"),
    (b"BM", "a picture"),
    (b"SQLite format 3", "a database"),
    (b"\x7fELF", "a program"),
    (b"MZ", "a program"),
    (b"7z\xbc\xaf\x27\x1c", "a packed archive"),
    (b"Rar!", "a packed archive"),
    (b"{\\rtf", "a text document"),
    (b"<?xml", "XML"),
    (b"<!DOCTYPE html", "a web page"),
    (b"<html", "a web page"),
)


def kind_of(head: bytes) -> str | None:
    """Return what a file is that begins so, in words; None where nothing is known."""
    if head.startswith(ZIPPED):
        return "a packed archive"
    if head[257:262] == b"ustar":
        return "a packed archive"
    return next((words for magic, words in _KINDS if head.startswith(magic)), None)


def zipped_name(head: bytes) -> str | None:
    """Return the name of the first member of a ZIP file, as far as its first bytes hold it; None for other files."""
    if not head.startswith(ZIPPED) or len(head) < 30:
        return None
    (length,) = struct.unpack_from("<H", head, 26)
    return head[30 : 30 + length].decode("utf-8", errors="replace")
