"""Pages of manuals to train on, with tables made by many hands.

Documentation of Debian packages that comes as HTML, and the descriptions of packages of PyPI, have
tables between paragraphs, lists and listings; their markup tells which text is which cell. A
browser prints parts of them in looks by chance. Among them stand things that are no tables
(``asides``), and what statistics programs print (``results``).

``python -m training.manuals fetch|list|render --source packages|descriptions|papers``
"""
