"""WAV, RF64 and BW64: interleaved samples behind a header."""

from pantelos.formats.format import Format
from pantelos.formats.wav.reader import preview_wav, read_wav
from pantelos.formats.wav.writer import write_wav

FORMAT = Format(
    id="wav",
    title="WAV",
    suffixes=(".wav", ".rf64", ".bw64"),
    recognise=lambda head: head[:4] in (b"RIFF", b"RF64", b"BW64") and head[8:12] == b"WAVE",
    preview=preview_wav,
    read=read_wav,
    write=write_wav,
    written=(".wav",),
)
