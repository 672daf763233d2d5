"""Recording to order: what is wanted, the recorder at the other end of a link, rows that stream into a recording.

A recording grows. recorder/order.py is what is wanted, a value with a text form; driver.py sets a recorder to it and says
what was taken; recording.py fetches rows and adds them to a file (formats/recorded) whose length says how many there are;
nothing that was written changes, so its fingerprint and its pyramid grow with it (growing.py,
signal/sampling/growing_pyramid.py: levels in files, the last bucket of each written again until it is full) and become the
stored recording when it ends. Rows are numbered, and asked for from the first that has not arrived: a link that is lost is
made again and nothing is missing. live.py hands the last stretch to the same evaluation and panels as any record. The
simulated recorder is a program of its own at the other end of a socket: the client knows nothing of it but the protocol.
"""
