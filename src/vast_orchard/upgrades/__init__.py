"""What earlier versions stored, brought to the present form: plain values in, plain values out.

A leaf, so that migrations, archives and files all use the same functions. What stands here describes the past and does
not follow the rest of the program: tables of former defaults are copies on purpose.
"""
