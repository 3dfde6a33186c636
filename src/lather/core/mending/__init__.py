"""What is done with a find: the edit proposed for it, on which layer, with which skin;
and whether it made things better.
"""
