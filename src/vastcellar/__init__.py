"""Vast Cellar: will this drive hold this take, and on what evidence do we say so?"""

__version__ = "0.1.0"
