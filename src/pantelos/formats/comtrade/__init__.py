"""COMTRADE (IEEE C37.111): configuration and data, in two files or in one."""
