"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

WAV = Format(
    id="wav",
    title="WAV",
    suffixes=(".wav", ".rf64", ".bw64"),
    home="wav",
    name="wav",
    written=(".wav",),
    recognise=lambda head: head[:4] in (b"RIFF", b"RF64", b"BW64") and head[8:12] == b"WAVE",
    place=1,
)
