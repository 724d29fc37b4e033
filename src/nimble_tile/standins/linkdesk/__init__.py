"""The link desk: short links of this machine whose targets can be changed after printing.

It answers on the loopback address alone, and only while it is switched on. What it keeps is
one SQLite file.
"""
