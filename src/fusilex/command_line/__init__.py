"""The verbs of the command: each declares its words and, beside them, what answers it. What a verb needs is loaded only
when it is asked for, or every start of the window would be slower.
"""
