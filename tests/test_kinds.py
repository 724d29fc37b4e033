"""Every kind of message: its standard's examples, a foreign parser, a reader, and back."""

from datetime import UTC, date, datetime
from email.utils import parseaddr
from urllib.parse import parse_qs, unquote, urlsplit

import icalendar
import numpy as np
import pytest
import vobject
import zxingcpp
from hypothesis import example, given
from hypothesis import strategies as st
from segno import helpers

from nimble_tile.core.details import (
    Address,
    Contact,
    Email,
    Event,
    Number,
    Payment,
    Phone,
    Place,
    Sms,
    Transfer,
    Wifi,
)
from nimble_tile.core.message import campaign, kinds
from nimble_tile.core.message.density import (
    density,
    host_in_capitals,
    percent_decoded,
    without_slash,
)
from nimble_tile.core.message.kinds.money import _bech32_good
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol.encode import encode

QR = {"formats": zxingcpp.BarcodeFormat.QRCode, "text_mode": zxingcpp.TextMode.Plain}
IBAN = "DE71 1102 2033 0123 4567 89"  # segno's documentation, made up

FORMS = [
    Email(to="walk@lanternwalk.example, keys@lanternwalk.example", cc="a@b.example",
          subject="Lanterns & reeds? 100 %", body="Hello,\nsee you at six"),
    Phone(number="+441632960983"),
    Sms(number="+441632960983", body="Count me in, 2 people & a dog"),
    Place(latitude="54.9731", longitude="-1.6139", label="Start; (gate 2), reeds"),
    Contact(given="Ada", family="Marsh; Reed", organisation="Redshank Marsh Trust, North",
            role="Warden", phones=(Number(number="+441632960983"),
                                   Number(use="work", number="+441632960984")),
            emails=("ada@lanternwalk.example",),
            addresses=(Address(street="1 Reed Lane", city="Saltmarsh", code="SM1 2AB"),
                       Address(use="home", street="Hut; 7, left", city="Dunes")),
            web="https://lanternwalk.example", note="Brings\nlanterns, tea; and \\ more"),
    Event(title="Lantern walk, dusk", start="2026-10-31T18:30", end="2026-10-31T20:00",
          zone="UTC", place="Reed beds; gate 2", note="Bring\na light", uid="walk-7"),
    Event(title="Reed days", all_day=True, start="2026-10-31", end="2026-11-02", zone="UTC",
          uid="days"),
    Wifi(name='Reed "bed"; net', password="a:b,c\\d;efg", hidden=True),
    Wifi(name="Hide", security="open"),
    Wifi(name="Dunes", security="wpa3", password="12345678"),
    Transfer(name="Redshank Marsh Trust", iban="DE71110220330123456789", amount="12.50",
             text="Lantern walk"),
    Payment(address="1BvBMSEYstWetqTFn5Au4m4GFg7xJaNVN2", amount="0.015", label="Lantern walk",
            message="Two tickets & tea"),
]  # fmt: skip


@pytest.mark.parametrize("form", FORMS, ids=lambda form: form.kind)
def test_each_text_is_read_by_a_reader_and_fills_its_form_again(form):
    message = kinds.compose(form)
    assert message.text
    symbol = encode(message, Code())
    image = np.kron(np.pad(~symbol.dark, 4, constant_values=True), np.ones((4, 4))) * 255
    (found,) = zxingcpp.read_barcodes(image.astype(np.uint8), **QR)
    again = kinds.understand(found.text)
    assert again.kind == form.kind
    assert kinds.compose(again.details).text == message.text
    if form.kind != "contact":  # which comes back with an empty list less
        assert again.details == form


def test_contact_is_understood_by_vobject():
    """vobject is a parser that did not come from us (RFC 2426)."""
    form = FORMS[4]
    card = vobject.readOne(kinds.compose(form).text)
    assert (card.n.value.given, card.n.value.family) == (form.given, form.family)
    assert card.fn.value == "Ada Marsh; Reed"
    assert card.org.value == [form.organisation]
    assert [tel.value for tel in card.contents["tel"]] == [p.number for p in form.phones]
    assert [tel.params["TYPE"] for tel in card.contents["tel"]] == [["CELL"], ["WORK"]]
    first, second = (adr.value for adr in card.contents["adr"])
    assert (first.street, first.city, first.code) == ("1 Reed Lane", "Saltmarsh", "SM1 2AB")
    assert (second.street, second.city) == ("Hut; 7, left", "Dunes")
    assert card.note.value == form.note
    assert card.url.value == form.web
    # And the other way: what vobject writes fills our form.
    foreign = vobject.vCard()
    foreign.add("n").value = vobject.vcard.Name(family="Heron", given="Grey")
    foreign.add("fn").value = "Grey Heron"
    foreign.add("tel").value = "+441632960001"
    foreign.tel.type_param = "HOME"
    foreign.add("bday").value = "1999-04-01"
    read = kinds.understand(foreign.serialize()).details
    assert (read.given, read.family) == ("Grey", "Heron")
    assert read.phones == (Number(use="home", number="+441632960001"),)
    assert read.extra == ("BDAY:1999-04-01",)
    assert "BDAY:1999-04-01" in kinds.compose(read).text  # nothing is lost


def test_contact_4_asks_for_no_n():
    text = kinds.compose(Contact(form="4.0", organisation="Redshank Marsh Trust")).text
    assert "VERSION:4.0" in text and "\r\nN:" not in text  # RFC 6350: N is optional
    assert kinds.understand(text).details.form == "4.0"


def test_event_is_understood_by_icalendar():
    """icalendar is a parser that did not come from us (RFC 5545)."""
    calendar = icalendar.Calendar.from_ical(kinds.compose(FORMS[5]).text)
    assert calendar["version"] == "2.0" and calendar["prodid"]
    (event,) = calendar.walk("VEVENT")
    assert event["summary"] == "Lantern walk, dusk"
    assert event.decoded("dtstart") == datetime(2026, 10, 31, 18, 30, tzinfo=UTC)
    assert event.decoded("dtend") == datetime(2026, 10, 31, 20, 0, tzinfo=UTC)
    assert event["location"] == "Reed beds; gate 2" and event["description"] == "Bring\na light"
    assert event["uid"] == "walk-7" and event.decoded("dtstamp")
    (event,) = icalendar.Calendar.from_ical(kinds.compose(FORMS[6]).text).walk("VEVENT")
    assert event.decoded("dtstart") == date(2026, 10, 31)
    assert event.decoded("dtend") == date(2026, 11, 3)  # the day after the last
    # A zone with summer time, against Python's own database.
    walk = FORMS[5].model_copy(
        update={"start": "2026-07-01T18:30", "end": "", "zone": "Asia/Tokyo"}
    )
    (event,) = icalendar.Calendar.from_ical(kinds.compose(walk).text).walk("VEVENT")
    assert event.decoded("dtstart") == datetime(2026, 7, 1, 9, 30, tzinfo=UTC)


def test_event_with_a_named_zone_or_an_alarm():
    text = (
        "BEGIN:VEVENT\nSUMMARY:Walk\nDTSTART;TZID=Europe/Paris:20261031T183000\n"
        "DTEND;TZID=Europe/Paris:20261031T200000\nURL:https://a.example\nEND:VEVENT"
    )
    form = kinds.understand(text).details
    assert (form.zone, form.start, form.whole) == ("Europe/Paris", "2026-10-31T18:30", False)
    assert form.extra == ("URL:https://a.example",)
    alarm = text.replace("END:VEVENT", "BEGIN:VALARM\nEND:VALARM\nEND:VEVENT")
    assert kinds.understand(alarm).details is None  # a form would lose the alarm


def test_links_to_write_call_and_find_against_the_standards():
    mail = urlsplit(kinds.compose(FORMS[0]).text)
    fields = parse_qs(mail.query, strict_parsing=True)
    assert [parseaddr(unquote(a))[1] for a in mail.path.split(",")] == [
        "walk@lanternwalk.example", "keys@lanternwalk.example"
    ]  # fmt: skip
    assert fields["subject"] == ["Lanterns & reeds? 100 %"]
    assert fields["body"] == ["Hello,\r\nsee you at six"]  # RFC 6068: line breaks are CRLF
    # RFC 6068, section 6: examples.
    read = kinds.understand("mailto:infobot@example.com?subject=current-issue").details
    assert read == Email(to="infobot@example.com", subject="current-issue")
    read = kinds.understand(
        "mailto:infobot@example.com?body=send%20current-issue%0D%0Asend%20index"
    )
    assert read.details.body == "send current-issue\nsend index"
    read = kinds.understand("mailto:joe@example.com?cc=bob@example.com&body=hello").details
    assert (read.to, read.cc, read.body) == ("joe@example.com", "bob@example.com", "hello")
    # RFC 5724, section 2.4 and RFC 3966, section 6: examples.
    read = kinds.understand("sms:+15105550101?body=hello%20there").details
    assert read == Sms(number="+15105550101", body="hello there")
    assert kinds.compose(read).text == "sms:+15105550101?body=hello%20there"
    assert kinds.compose(Phone(number="+1-201-555-0123")).text == "tel:+12015550123"
    # RFC 5870, section 6.1 and 6.2: examples.
    assert kinds.understand("geo:13.4125,103.8667").details.latitude == "13.4125"
    read = kinds.understand("geo:48.2010,16.3695,183").details
    assert (read.longitude, read.altitude) == ("16.3695", "183")
    assert kinds.understand("geo:323482,4306480;crs=EPSG:32618;u=20").details is None


def test_wifi_mail_place_and_transfer_against_segno():
    """segno.helpers writes the same texts; it is not ours."""
    wifi = FORMS[7]
    theirs = helpers.make_wifi_data(
        ssid=wifi.name, password=wifi.password, security="WPA", hidden=True
    )
    ours = kinds.compose(wifi).text

    def fields(text):
        # segno's strings are compared field by field: their order is free.
        return set(kinds.FORMED["wifi"].read(text).model_dump().items())

    assert fields(ours) == fields(theirs if theirs.endswith(";;") else theirs + ";")
    assert helpers.make_geo_data(54.9731, -1.6139) == "geo:54.9731,-1.6139"
    assert kinds.compose(Place(latitude="54.9731", longitude="1.6139 W")).text == (
        "geo:54.9731,-1.6139"
    )
    # segno makes the transfer's code itself; its text is read back from there.
    made = helpers.make_epc_qr(
        "Redshank Marsh Trust", "DE71110220330123456789", 12.5, text="Lantern walk"
    )
    image = np.kron(np.pad(~np.array([list(r) for r in made.matrix], bool), 4,
                           constant_values=True), np.ones((4, 4))) * 255  # fmt: skip
    (found,) = zxingcpp.read_barcodes(image.astype(np.uint8), **QR)
    read = kinds.understand(found.text)
    assert read.details == FORMS[10].model_copy(update={"amount": read.details.amount})
    assert float(read.details.amount) == 12.5


def test_transfer_follows_the_order_and_limits_of_epc069_12():
    lines = kinds.compose(FORMS[10]).text.split("\n")
    assert lines == ["BCD", "002", "1", "SCT", "", "Redshank Marsh Trust",
                     "DE71110220330123456789", "EUR12.50", "", "", "Lantern walk"]  # fmt: skip
    said = {r.field: r for r in kinds.remarks(FORMS[10].model_copy(update={"name": "x" * 71}))}
    assert "At most 70" in said["name"].text
    both = FORMS[10].model_copy(update={"reference": "RF18 5390 0754 7034"})
    assert "not both" in next(r for r in kinds.remarks(both) if r.field == "text").text
    # ISO 11649: the reference of its introduction (memory), and the same with a typing error.
    alone = FORMS[10].model_copy(update={"reference": "RF18 5390 0754 7034", "text": ""})
    assert not [r for r in kinds.remarks(alone) if r.field == "reference"]
    wrong = alone.model_copy(update={"reference": "RF19 5390 0754 7034"})
    assert any(r.field == "reference" and r.stops for r in kinds.remarks(wrong))


def test_addresses_of_payments_against_the_published_vectors():
    # BIP 173 and BIP 350, valid and invalid addresses; BIP 21's example.
    assert _bech32_good("BC1QW508D6QEJXTDG4Y5R3ZARVARY0C5XW7KV8F3T4")
    assert _bech32_good("bc1p0xlxvlhemja6c4dqv22uapctqupfhlxm9h8z3k2e72q4k9hcz7vqzk5jj0")
    assert not _bech32_good("bc1qw508d6qejxtdg4y5r3zarvary0c5xw7kv8f3t5")
    assert not _bech32_good("bc1p0xlxvlhemja6c4dqv22uapctqupfhlxm9h8z3k2e72q4k9hcz7vqh2y7hd")
    # An address of the Bitcoin wiki (memory), and the same with a typing error.
    for last, fits in (("2", True), ("3", False)):
        form = Payment(address=f"1BvBMSEYstWetqTFn5Au4m4GFg7xJaNVN{last}")
        assert any(r.field == "address" for r in kinds.remarks(form)) is not fits
    read = kinds.understand("bitcoin:175tWpb8K1S7NmH4Zx6rewF9WQrcZv245W?amount=20.3&label=Luke-Jr")
    assert (read.details.amount, read.details.label) == ("20.3", "Luke-Jr")
    assert kinds.understand("bitcoin:175tW?req-somethingyoudontunderstand=50").details is None


@pytest.mark.parametrize(
    ("form", "field", "says"),
    [
        (Email(to="nobody"), "to", "no @"),
        (Phone(number="+44 1632 abc"), "number", "cannot hold “a”"),
        (Phone(number="+1234567890123456"), "number", "at most 15"),
        (Phone(number="01632 960983"), "number", "country code"),
        (Place(latitude="91", longitude="0"), "latitude", "between -90 and 90"),
        (Place(latitude="north", longitude="0"), "latitude", "such as 54.9731"),
        (Contact(), "given", "name or an organisation"),
        (Contact(given="Ada", web="two words"), "web", "spaces"),
        (Event(title="x", start="2026-13-01T00:00"), "start", "not a date"),
        (Event(title="x", start="2026-02-01T10:00", end="2026-02-01T09:00"), "end", "before"),
        (Event(title="x", start="2026-02-01T10:00", zone="Mars/Dunes"), "zone", "no such"),
        (Wifi(name="ü" * 17, password="12345678"), "name", "34"),
        (Wifi(name="a", password="short"), "password", "at least 8"),
        (Transfer(name="a", iban="DE72 1102 2033 0123 4567 89"), "iban", "check digits"),
        (Transfer(name="a", iban=IBAN, amount="12.505"), "amount", "12.50"),
        (Payment(address="175tWpb8K1S7NmH4Zx6rewF9WQrcZv245V"), "address", "typing error"),
    ],
)
def test_each_flaw_of_a_form_is_named_beside_its_field(form, field, says):
    own = [remark.text for remark in kinds.remarks(form) if remark.field == field]
    assert any(says in text for text in own)
    assert (kinds.compose(form).text == "") == any(r.stops for r in kinds.remarks(form))


@given(st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=40),
       st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=40))  # fmt: skip
@example("BEGIN:VCARD", "BEGIN:VEVENT")  # words of the format itself
@example("END:VEVENT", "BEGIN:VCARD\nEND:VCARD")
def test_any_text_survives_its_form(first, second):
    first, second = first.strip(), second.strip()
    for form in (
        Contact(given="A" + first, note=second), Event(title="A" + first, note=second,
                                                     start="2026-01-02T03:04"),
        Wifi(name="A", password="12345678" + "".join(c for c in second if " " <= c <= "~")),
        Email(to="a@b.example", subject=first, body=second),
    ):  # fmt: skip
        text = kinds.compose(form).text
        again = kinds.understand(text)
        assert again.kind == form.kind and kinds.compose(again.details).text == text
    for text in (first, f"WIFI:{first}", f"BEGIN:VCARD\n{first}:{second}", f"geo:{first}",
                 f"BEGIN:VEVENT\n{first}\n{second}", f"BCD\n{first}\n{second}"):  # fmt: skip
        assert kinds.understand(text).text == text  # nothing fails, nothing is changed


# Any link, with whatever stands in its query.
_PIECES = st.text("abc=&%20+utm_source?/.-", max_size=24)


@given(_PIECES, _PIECES, st.dictionaries(st.sampled_from(campaign.TAGS), st.text(max_size=8)))
def test_campaign_tags_go_on_and_off_without_damage(query, fragment, tags):
    link = f"https://lanternwalk.example/a?{query}#{fragment}"
    plain = campaign.with_tags(link, {})
    tagged = campaign.with_tags(plain, {k: v for k, v in tags.items() if _utf8(v)})
    assert campaign.tags_of(tagged) == {k: v for k, v in tags.items() if v and _utf8(v)}
    assert campaign.tags_of(plain) == {}
    if plain.partition("#")[0].partition("?")[2] or "?" not in plain.partition("#")[0]:
        assert campaign.with_tags(tagged, {}) == plain
    assert tagged.partition("#")[2] == fragment


def _utf8(text):
    try:
        return bool(text.encode())
    except UnicodeEncodeError:
        return False


def test_offers_are_safe_and_give_what_they_say():
    assert host_in_capitals("https://me@Lantern.example:8080/Path?q=a#F") == (
        "HTTPS://me@LANTERN.EXAMPLE:8080/Path?q=a#F"
    )  # RFC 3986, 6.2.2.1: scheme and host alone do not care for case
    assert host_in_capitals("https://lücke.example/a") == "HTTPS://lücke.example/a"
    assert without_slash("https://a.example/b/?q=/#/") == "https://a.example/b?q=/#/"
    assert percent_decoded("https://a.example/%7Eb%2Fc%41") == "https://a.example/~b%2FcA"
    message = Message(text="https://www.lanternwalk.example/dusk/walk7/")
    code = Code()
    known = density(message, code, encode(message, code))
    assert (known.characters, known.version, known.mode) == (43, "4", "byte")
    assert known.versions == {"L": "3", "M": "4", "Q": "4", "H": "5"}
    assert {offer.label for offer in known.offers} >= {
        "Drop www.", "Drop the trailing slash", "Write https and the host in capitals"
    }  # fmt: skip
    for offer in known.offers:
        made = encode(offer.message, code.model_copy(update={"raise_level": False}))
        assert offer.gain == f"version 4 → {made.version}, {made.side} modules"
    # Bank transfers: level M, whatever is free (EPC069-12).
    transfer = kinds.compose(FORMS[10])
    (bank,) = [o for o in density(transfer, code, encode(transfer, code)).offers if o.code]
    assert encode(transfer, Code(**{**dict(code), **bank.code})).level == "M"
    # Too long for anything: the offers still lead somewhere.
    long = Message(text="https://lanternwalk.example/?utm_term=" + "a" * 2950)
    from nimble_tile.core.message.density import offers

    assert any(o.label.startswith("Leave the campaign tags out") for o in offers(long, code))
    (micro,) = [o for o in offers(Message(kind="raw", text="1234567"), code) if o.code]
    symbol = encode(Message(text="1234567"), Code(**{**dict(code), **micro.code}))
    assert symbol.micro and symbol.version in micro.gain
