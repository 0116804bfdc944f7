"""What all JSON documents share: read with limits, checked against bounds, refused with the place in a sentence."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from firnel.core.vocabulary import RESERVED
from firnel.core.words import tr
from firnel.exchange.errors import ImportRefusedError

#: A document is at most this large. [bytes]
MOST_BYTES = 64_000_000
#: A day; no time of a roast lies further away. [s]
DAY_S = 86_400.0


def _plain(text: str) -> str:
    if any(ord(sign) < 32 or ord(sign) == 127 for sign in text):
        raise ValueError(tr("holds signs that cannot be printed"))
    return text


def _filed(text: str) -> str:
    if any(sign in text for sign in '/\\:*?"<>|') or text.startswith("."):
        raise ValueError(tr("cannot be part of a file's name"))
    return text


def _no_column(name: str) -> str:
    if name in RESERVED:
        raise ValueError(tr("is the name of another column of a log, and no control"))
    return name


Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Seconds = Annotated[float, Field(allow_inf_nan=False, ge=-DAY_S, le=DAY_S)]
BeanC = Annotated[float, Field(allow_inf_nan=False, ge=-50.0, le=400.0)]
AirC = Annotated[float, Field(allow_inf_nan=False, ge=-50.0, le=700.0)]
Kg = Annotated[float, Field(allow_inf_nan=False, gt=0.0, le=1000.0)]
RoomC = Annotated[float, Field(allow_inf_nan=False, ge=-40.0, le=60.0)]
Colour = Annotated[float, Field(allow_inf_nan=False, ge=0.0, le=100.0)]
ControlName = Annotated[str, Field(max_length=20, pattern=r"^[a-z][a-z0-9_]*$"), AfterValidator(_no_column)]
Name = Annotated[str, Field(max_length=200), AfterValidator(_plain)]
Label = Annotated[str, Field(max_length=40), AfterValidator(_plain), AfterValidator(_filed)]
Words = Annotated[str, Field(max_length=20_000)]


class Part(BaseModel):
    """A part of a document of Firnel's own: nothing else may stand in it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


Model = TypeVar("Model", bound=BaseModel)


def read_json(path: Path, most: int = MOST_BYTES) -> Any:
    """What a JSON file of so many bytes at most holds.

    Raises
    ------
    ImportRefusedError : if it cannot be read, is too large, or is no JSON.
    """
    try:
        if path.stat().st_size > most:
            raise ImportRefusedError(
                tr("{} is larger than {:.0f} MB: it is no document of Firnel's.", path.name, most / 1000000.0)
            )
        return json.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise ImportRefusedError(tr("{} cannot be read: {}.", path, error.strerror)) from error
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise ImportRefusedError(tr("{} is no JSON document: {}.", path.name, error)) from error
    except (RecursionError, ValueError) as error:
        raise ImportRefusedError(tr("{} is no JSON document that can be read: {}.", path.name, type(error).__name__)) from error


def checked(model: type[Model], raw: Any, what: str) -> Model:
    """A document checked against its model.

    Parameters
    ----------
    model, raw : what it is to be, and what was read.
    what : in words, with the file's name: ``roast.json is no Firnel batch``.

    Raises
    ------
    ImportRefusedError : naming the first entry that is wrong.
    """
    try:
        return model.model_validate(raw)
    except ValidationError as error:
        first = min(error.errors(include_url=False), key=lambda one: one["type"] != "extra_forbidden")  # the clearest
        where = ".".join(str(part) for part in first["loc"]) or tr("the document")
        given = first.get("input")
        shown = "" if isinstance(given, dict | list) or given is None else tr(" (it says {!r})", str(given)[:40])
        raise ImportRefusedError(f"{what}: {where}: {first['msg'][:1].lower()}{first['msg'][1:]}{shown}.") from error
    except RecursionError as error:
        raise ImportRefusedError(tr("{}: it is nested too deeply.", what)) from error
