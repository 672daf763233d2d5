"""The Wiring page: a drawn connection with sockets, the scaling chain of every channel, plausibility checks."""
