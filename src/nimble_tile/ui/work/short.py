"""What rooms tell each other of short links."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class ShortNews:
    """What there is to say of short links for a message.

    Attributes
    ----------
    own : bool
        The message is a short link of the desk.
    target : str
        Where it leads now; empty: nowhere.
    gain : str
        What a short link would gain: ``"version 5 → 3"``; empty: nothing.
    on : bool
        Whether the desk answers.
    public : str
        The designer's own address at which links are printed; empty: there is none.
    """

    own: bool
    target: str
    gain: str
    on: bool
    public: str = ""
