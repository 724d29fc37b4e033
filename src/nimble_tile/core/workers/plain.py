"""What goes between this program and its workers: data, never code.

A message is one JSON text and the buffers that it refers to. Objects are those of classes that
the receiving side has registered with `sent`; a worker that has opened a foreign file can make
nothing else of its answer.
"""

from __future__ import annotations

import dataclasses
import json
import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

AnyClass = TypeVar("AnyClass", bound=type)

DEEPEST = 60
"""How deep things may lie in one another."""

_known: dict[str, type] = {}


class NotPlain(ValueError):
    """Something is no data, or a message is not what it should be."""


def sent(cls: AnyClass) -> AnyClass:
    """Let objects of a class, a dataclass or a pydantic model, be sent; a decorator."""
    _known[_name(cls)] = cls
    return cls


def _name(cls: type) -> str:
    return f"{cls.__module__}:{cls.__qualname__}"


def packed(value: Any) -> list[bytes | memoryview]:
    """A value as a text and its buffers.

    Parameters
    ----------
    value : None, bool, int, float, str, bytes, Path, ndarray, or object of a class that was
        registered, and lists, tuples and mappings of them

    Raises
    ------
    NotPlain
        It is anything else.
    """
    buffers: list[bytes | memoryview] = []
    text = json.dumps(_coded(value, buffers, 0)).encode()
    return [text, *buffers]


def unpacked(parts: Sequence[bytes | bytearray | memoryview]) -> Any:
    """The value of a text and its buffers; arrays and bytes are read-only.

    Raises
    ------
    NotPlain
        They are not what `packed` gives.
    """
    try:
        coded = json.loads(bytes(parts[0]))
        return _value(coded, [memoryview(part).toreadonly() for part in parts[1:]], 0)
    except NotPlain:
        raise
    except (ValueError, TypeError, KeyError, IndexError, AttributeError, RecursionError) as error:
        raise NotPlain(f"{type(error).__name__}: {error}") from error


def _coded(value: Any, buffers: list[bytes | memoryview], depth: int) -> Any:
    if depth > DEEPEST:
        raise NotPlain("it lies too deep")
    below = depth + 1
    if value is None or isinstance(value, (bool, int, float, str)):
        return value
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, np.ndarray):
        if value.dtype.hasobject or value.dtype.names:
            raise NotPlain("an array of objects")
        whole = np.ascontiguousarray(value)
        buffers.append(memoryview(whole.reshape(-1).view(np.uint8)))
        return {"array": len(buffers), "of": whole.dtype.str, "shape": list(value.shape)}
    if isinstance(value, (bytes, bytearray, memoryview)):
        buffers.append(memoryview(value).cast("B"))
        return {"bytes": len(buffers)}
    if isinstance(value, list):
        return [_coded(one, buffers, below) for one in value]
    if isinstance(value, tuple):
        return {"tuple": [_coded(one, buffers, below) for one in value]}
    if isinstance(value, Path):
        return {"path": str(value)}
    cls = type(value)
    if _name(cls) in _known:
        fields = (
            {field.name: getattr(value, field.name) for field in dataclasses.fields(cls)}
            if dataclasses.is_dataclass(cls)
            else dict(value)
        )
        inside = {name: _coded(one, buffers, below) for name, one in fields.items()}
        return {"object": _name(cls), "fields": inside}
    if isinstance(value, Mapping):
        pairs = value.items()
        return {"mapping": [[_coded(k, buffers, below), _coded(v, buffers, below)]
                            for k, v in pairs]}  # fmt: skip
    raise NotPlain(f"{cls.__name__} is not sent")


def _value(coded: Any, buffers: list[memoryview], depth: int) -> Any:
    if depth > DEEPEST:
        raise NotPlain("it lies too deep")
    below = depth + 1
    if isinstance(coded, list):
        return [_value(one, buffers, below) for one in coded]
    if not isinstance(coded, dict):
        return coded
    if "array" in coded:
        return _array(_buffer(buffers, coded["array"]), coded["of"], coded["shape"])
    if "bytes" in coded:
        return bytes(_buffer(buffers, coded["bytes"]))
    if "tuple" in coded:
        return tuple(_value(one, buffers, below) for one in coded["tuple"])
    if "path" in coded:
        return Path(coded["path"])
    if "mapping" in coded:
        pairs = ((_value(k, buffers, below), _value(v, buffers, below))
                 for k, v in coded["mapping"])  # fmt: skip
        return dict(pairs)
    cls = _known.get(coded["object"])
    if cls is None:
        raise NotPlain(f"{str(coded['object'])[:80]} is not known here")
    fields = {name: _value(one, buffers, below) for name, one in coded["fields"].items()}
    return cls(**fields)


def _buffer(buffers: list[memoryview], number: int) -> memoryview:
    if not isinstance(number, int) or not 1 <= number <= len(buffers):
        raise NotPlain("a buffer is missing")
    return buffers[number - 1]


def _array(buffer: memoryview, kind: str, shape: list[int]) -> np.ndarray:
    dtype = np.dtype(str(kind))
    if dtype.hasobject or dtype.names or dtype.itemsize == 0:
        raise NotPlain("an array of objects")
    if any(not isinstance(side, int) or side < 0 for side in shape):
        raise NotPlain("an array of no shape")
    if math.prod(shape) * dtype.itemsize != buffer.nbytes:
        raise NotPlain("an array is not as large as it claims")
    return np.frombuffer(buffer, dtype).reshape(shape)
