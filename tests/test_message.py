"""Advice on messages: pointed out, with a way out, never blocked."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nimble_tile.core.message import advise
from nimble_tile.core.piece import Message


@pytest.mark.parametrize(
    ("text", "says", "fixed"),
    [
        ("lanternwalk.example", "does not begin with https", "https://lanternwalk.example"),
        ("lanternwalk.example:8080/a", "does not begin", "https://lanternwalk.example:8080/a"),
        ("https:/lanternwalk.example", "Two slashes", "https://lanternwalk.example"),
        ("https://", "unfinished", None),
        ("https://lanternwalk", "looks unfinished", None),
        ("https://lantern walk.example", "cannot hold spaces", "https://lantern%20walk.example"),
        ("https://-walk.example", "not a possible host", None),
        ("https://walk.1", "cannot end a host name", None),
        ("https://walk.example:port", "port is not written correctly", None),
        ("https://walk.example/100%", "two hexadecimal digits", None),
        ("https://me@walk.example", "user name", None),
        ("http://walk.example", "not encrypted", "https://walk.example"),
        ("https://walk.example ", "white space", "https://walk.example"),
        ("https://walk.example/\u200b", "zero width space", "https://walk.example/"),
        ("htps://walk.example", "not a kind of link", "https://walk.example"),
        ("mailto:a@walk.example", "is an e-mail", "mailto:a@walk.example"),
        # Punycode of a name in RFC 3492 style: reproduced by Python's own codec.
        ("https://lücke.example", "xn--lcke-0ra.example", None),
    ],
)
def test_each_flaw_of_a_link_is_named(text, says, fixed):
    remarks = advise(Message(text=text))
    remark = next(r for r in remarks if says in r.text)
    assert (remark.fix.text if remark.fix else None) == fixed


def test_good_messages_have_nothing_to_say_and_empty_has_its_own_state():
    assert advise(Message(text="https://lanternwalk.example/path?when=dusk#map")) == []
    assert advise(Message(kind="text", text="Meet at the bridge\nat six 🏮")) == []
    assert [r.weight for r in advise(Message())] == ["empty"]


@given(st.text(alphabet=st.characters(exclude_categories=["Cs"]), max_size=80),
       st.sampled_from(["link", "text"]))  # fmt: skip
def test_any_text_gets_advice_without_failing(text, kind):
    for remark in advise(Message(kind=kind, text=text)):
        assert remark.text.endswith(".")
        assert remark.fix is None or remark.fix.text != text or remark.fix.kind not in (None, kind)
