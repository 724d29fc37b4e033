"""Phone numbers.

References
----------
phonenumbers: numbering plans of all countries, ITU-T E.164.
"""

from __future__ import annotations

from nimble_tile.core.language import tr


def phone_trouble(number: str) -> str:
    """What is wrong with an international number, ``+`` and digits, in a sentence; else empty."""
    import phonenumbers

    try:
        found = phonenumbers.parse(number)
    except phonenumbers.NumberParseException as error:
        kinds = phonenumbers.NumberParseException
        if error.error_type == kinds.INVALID_COUNTRY_CODE:
            return tr("No country has this code.")
        if error.error_type == kinds.TOO_LONG:
            return tr("A phone number has at most 15 digits.")
        return tr("This number looks unfinished.")
    reason = phonenumbers.is_possible_number_with_reason(found)
    result = phonenumbers.ValidationResult
    if reason == result.TOO_SHORT:
        return tr("This number looks unfinished.")
    if reason == result.TOO_LONG:
        return tr("This number is too long for its country.")
    if reason == result.INVALID_LENGTH:
        return tr("No number of that country has this length.")
    return ""
