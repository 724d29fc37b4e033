"""Bank transfer in euro, and payment request in bitcoin.

References
----------
EPC069-12 (European Payments Council): order and limits of the fields, version
13 and level M of the symbol at most. ISO 13616 (IBAN) and ISO 11649 (creditor
reference): check by modulo 97. BIP 21 (URI), BIP 173 and BIP 350 (bech32 and
bech32m), Base58Check. All but the bech32 ones by python-stdnum.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

from nimble_tile.core.details import Payment, Transfer
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.base import Kind, filled, percent, query
from nimble_tile.core.message.remarks import Remark

TRANSFER_BYTES = 331
"""Bytes of a transfer (EPC069-12)."""
MOST_VERSION = 13
"""Largest version that banks must read (EPC069-12)."""
LEVEL = "M"
"""Level that EPC069-12 asks for."""

# EPC069-12: characters of each field at most.
_LIMITS = {"name": 70, "purpose": 4, "text": 140, "info": 70}


def squeezed(text: str) -> str:
    """Without spaces, in capitals."""
    return re.sub(r"\s", "", text).upper()


def _euro(text: str) -> Decimal | None:
    """An amount, with a comma or a point before the cents."""
    text = text.strip().removeprefix("€").removeprefix("EUR").strip()
    if not re.fullmatch(r"\d+([.,]\d{1,2})?", text):
        return None
    return Decimal(text.replace(",", "."))


def _write_transfer(form: Transfer) -> str:
    amount = f"EUR{_euro(form.amount)}" if form.amount.strip() else ""
    lines = [
        "BCD",
        "002",  # the version in which the BIC may be omitted
        "1",  # UTF-8
        "SCT",
        squeezed(form.bic),
        form.name.strip(),
        squeezed(form.iban),
        amount,
        squeezed(form.purpose),
        squeezed(form.reference),
        form.text.strip(),
        form.info.strip(),
    ]
    return "\n".join(lines).rstrip("\n")


def _read_transfer(text: str) -> Transfer | None:
    lines = text.replace("\r\n", "\n").split("\n")
    if len(lines) < 7 or lines[0] != "BCD" or lines[1] not in ("001", "002") or lines[3] != "SCT":
        return None
    if lines[2] not in ("1", "2") or len(lines) > 12:
        return None
    lines += [""] * (12 - len(lines))
    return Transfer(
        bic=lines[4], name=lines[5], iban=lines[6], amount=lines[7].removeprefix("EUR"),
        purpose=lines[8], reference=lines[9], text=lines[10], info=lines[11],
    )  # fmt: skip


def _iban_remark(iban: str) -> list[Remark]:
    """What is wrong with an IBAN, its country's own rules included."""
    from stdnum import iban as accounts
    from stdnum.exceptions import InvalidChecksum, InvalidComponent, ValidationError

    try:
        accounts.validate(iban)
    except InvalidChecksum:
        text = tr("The check digits do not fit: a typing error?")
    except InvalidComponent:
        text = tr("No account of that country is written so: a typing error?")
    except ValidationError:
        text = tr("An IBAN is two letters, two digits and the account.")
    else:
        return []
    return [Remark("iban", "wrong", text)]


def _transfer_remarks(form: Transfer) -> list[Remark]:
    from stdnum import bic as banks
    from stdnum import iso11649

    found = []
    if not form.name.strip():
        found.append(Remark("name", "missing", tr("Write who receives the money.")))
    iban = squeezed(form.iban)
    if not iban:
        found.append(Remark("iban", "missing", tr("Write the IBAN.")))
    else:
        found += _iban_remark(iban)
    bic = squeezed(form.bic)
    if bic and not banks.is_valid(bic):
        text = tr("A BIC has 8 or 11 letters and digits, with a country in the fifth and sixth.")
        found.append(Remark("bic", "wrong", text))
    if form.amount.strip():
        euro = _euro(form.amount)
        if euro is None or not Decimal("0.01") <= euro <= Decimal("999999999.99"):
            found.append(
                Remark("amount", "wrong", tr("Write 0.01 to 999999999.99, such as 12.50."))
            )
    if form.purpose.strip() and not re.fullmatch(r"[A-Z0-9]{1,4}", squeezed(form.purpose)):
        found.append(Remark("purpose", "wrong", tr("A purpose is a code of four letters at most.")))
    reference = squeezed(form.reference)
    if reference and form.text.strip():
        found.append(Remark("text", "wrong", tr("Either a reference or a text, not both.")))
    if reference and not re.fullmatch(r"RF\d{2}[A-Z0-9]{1,21}", reference):
        found.append(Remark("reference", "wrong", tr("A reference begins with RF and two digits.")))
    elif reference and not iso11649.is_valid(reference):
        found.append(Remark("reference", "wrong", tr("The check digits do not fit.")))
    for field, most in _LIMITS.items():
        value = getattr(form, field).strip()
        if len(value) > most:
            found.append(
                Remark(
                    field,
                    "wrong",
                    tr("At most {most} characters; {value} now.", most=most, value=len(value)),
                )
            )
        elif "\n" in value:
            found.append(Remark(field, "wrong", tr("This must be one line.")))
    if not any(remark.stops for remark in found):
        size = len(_write_transfer(form).encode("utf-8"))
        if size > TRANSFER_BYTES:
            text = tr(
                "Banks read {transfer_bytes} bytes at most; this is {size}.",
                transfer_bytes=TRANSFER_BYTES,
                size=size,
            )
            found.append(Remark("text", "wrong", text))
    return found


TRANSFER = Kind("transfer", _write_transfer, _read_transfer, _transfer_remarks)

_BECH32 = "qpzry9x8gf2tvdw0s3jn54khce6mua7l"
_BECH32_SUM, _BECH32M_SUM = 1, 0x2BC830A3
_GENERATOR = (0x3B6A57B2, 0x26508E6D, 0x1EA119FA, 0x3D4233DD, 0x2A1462B3)


# Our own, as python-stdnum knows addresses of BIP 173 alone and not those of BIP 350.
def _bech32_good(address: str) -> bool:
    if address.lower() != address and address.upper() != address:
        return False
    prefix, _, data = address.lower().rpartition("1")
    if prefix not in ("bc", "tb", "bcrt") or len(data) < 8 or len(address) > 90:
        return False
    if any(c not in _BECH32 for c in data):
        return False
    values = [ord(c) >> 5 for c in prefix] + [0] + [ord(c) & 31 for c in prefix]
    values += [_BECH32.index(c) for c in data]
    check = 1
    for value in values:
        top = check >> 25
        check = (check & 0x1FFFFFF) << 5 ^ value
        for bit, generator in enumerate(_GENERATOR):
            check ^= generator if top >> bit & 1 else 0
    return check == (_BECH32_SUM if data[0] == "q" else _BECH32M_SUM)


def _write_payment(form: Payment) -> str:
    address = form.address.strip()
    fields = filled(amount=form.amount.strip(), label=form.label, message=form.message)
    if "amount" in fields:
        fields["amount"] = f"{Decimal(fields['amount'].replace(',', '.')):f}"
    tail = "&".join(f"{name}={percent(value.strip())}" for name, value in fields.items())
    return f"bitcoin:{address}" + (f"?{tail}" if tail else "")


def _read_payment(text: str) -> Payment | None:
    if text[:8].lower() != "bitcoin:":
        return None
    address, _, tail = text[8:].partition("?")
    fields = query(tail)
    if set(fields) - {"amount", "label", "message"}:
        return None
    return Payment(address=address, **fields)


def _payment_remarks(form: Payment) -> list[Remark]:
    from stdnum import bitcoin

    found = []
    address = form.address.strip()
    if not address:
        found.append(Remark("address", "missing", tr("Write the address.")))
    elif not (_bech32_good(address) or (address[:1] in "13" and bitcoin.is_valid(address))):
        found.append(
            Remark("address", "wrong", tr("This is no address, or it has a typing error."))
        )
    amount = form.amount.strip().replace(",", ".")
    if amount:
        try:
            value = Decimal(amount)
            good = value.is_finite() and 0 < value <= 21_000_000
            good = good and -value.as_tuple().exponent <= 8
        except InvalidOperation:
            good = False
        if not good or not re.fullmatch(r"\d+(\.\d+)?", amount):
            found.append(Remark("amount", "wrong", tr("Write a number with at most 8 decimals.")))
    return found


PAYMENT = Kind("payment", _write_payment, _read_payment, _payment_remarks)
