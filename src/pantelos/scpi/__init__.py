"""The language of instruments: program messages, response data and status after IEEE 488.2 and SCPI-1999."""
