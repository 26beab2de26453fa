"""The domain as plain typed data and pure computation.

Nothing here knows Qt, sockets, SQL, threads or the wall clock: time comes in as an
argument, and files are touched only by readers that are given a path.
"""
