"""A painter that runs on this machine: pictures from words, a seed, and codes as guides.

Words choose from a vocabulary (`words`); a scene is composed of drawn parts (`scenes`, `stage`);
then it is painted coarse to fine in a medium (`mediums`), where a guide pulls tones towards a
code (`guide`). No model and no network takes part.
"""
