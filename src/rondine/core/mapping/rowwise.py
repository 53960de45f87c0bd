"""Responses mapped row by row: only what a mapping wants is read, and of a large response only a part is held at a
time.

This way is taken where it can be: all outputs go through the same plain list, or elements of the same name, first.
Whatever it cannot tell is read as a whole by the usual way, which also says best what is wrong. Both give equal records
and rejects; property tests hold them together.
"""

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from hashlib import blake2b
from typing import Any
from xml.etree.ElementTree import Element

import msgspec

from rondine.core.documents.csv import csv_rows
from rondine.core.documents.element_rows import ElementRows, NotApart
from rondine.core.documents.elements import TEXT
from rondine.core.documents.json import Limits, is_utf8, read_json
from rondine.core.documents.members import Members, at_names, decoder_of, members_at
from rondine.core.documents.reading import JSON, BodyForm
from rondine.core.documents.slices import Around, Values, line_slices, list_slices
from rondine.core.errors import DocumentError
from rondine.core.mapping.compile import CompiledOutput, Mapped, Rows
from rondine.core.mapping.document import ROOT, MappingDocument, Path
from rondine.core.mapping.generated import FastWay, NotPlain, fast_way, is_plain_list, plain_part, wanted_of_rows
from rondine.core.mapping.generated_elements import element_way
from rondine.core.paths import Location, WholeXPath, XPath, parse_pointer

#: Opens a response from its beginning.
Chunks = Callable[[], Iterable[bytes]]
_UNWALKED = Limits(size=2**31, depth=None)
_UNREADABLE = (msgspec.DecodeError, UnicodeDecodeError, ArithmeticError, RecursionError)
_raw_list = msgspec.json.Decoder(list[msgspec.Raw]).decode
_raw_object = msgspec.json.Decoder(dict[str, msgspec.Raw]).decode


@dataclass(frozen=True, slots=True)
class RowPlace:
    """How far a response is read. first: values of the first level that are done.  ordinals: rows that are done, for
    each output."""

    first: int = 0
    ordinals: tuple[int, ...] = ()


#: Of the texts of some rows, as they are written, BLAKE2b-128 of each -> the number under which the caller knows what
#: became of that row; 0 for one that is to be mapped.
Known = Callable[[Sequence[bytes]], Sequence[int]]


@dataclass(frozen=True, slots=True)
class Part:
    """Some rows of a response, mapped: for each output.  upto: how far it is read with them.

    hashes: BLAKE2b-128 of the text of each row, where known rows were asked for.  known: those that were known, as
    (number, hash); they are counted and not mapped.
    """

    mapped: list[Mapped]
    upto: RowPlace
    hashes: Sequence[bytes] = ()
    known: Sequence[tuple[int, bytes]] = ()


@dataclass(frozen=True, slots=True)
class _Batch:
    """Values of the first level. whole: one of them with all that is in it, by index.  is_partly: whether they were
    read in the fast way, with their wanted members only.  is_list: whether they are several; of a single element of XML
    the place has no number.  keys: of members of an object, their names.  numbers: of some of the list's elements,
    which ones they are."""

    items: Sequence[Any]
    whole: Callable[[int], Any]
    is_partly: bool = True
    is_list: bool = True
    keys: Sequence[str] | None = None
    numbers: Sequence[int] | None = None


def row_reader(
    mapping: MappingDocument, outputs: Sequence[CompiledOutput], also: Iterable[str] = ()
) -> "RowReader | None":
    """also: places that are asked for besides, outside of the rows: JSON Pointers or XPaths. A JSONPath may lead into
    the rows. None if these outputs, or places, need the whole response."""
    also = list(also)
    if mapping.format == "json" and any(place.startswith("$") for place in also):
        return None
    around = [parse_pointer(place) for place in also] if mapping.format == "json" else []
    places = set()
    for output in outputs:
        path = output.levels[0][1]
        if isinstance(path, XPath):
            places.add(path.names() if path.is_absolute else None)
        else:
            names, rest = plain_part(path)
            places.add(names if is_plain_list(rest) else None)
    names_of_all = places.pop() if len(places) == 1 else None
    needs_all = any(isinstance(source.path, WholeXPath) for output in outputs for source in output.sources)
    if names_of_all is None or needs_all or any(_looks_at_rows(one, names_of_all) for one in _from_around(outputs)):
        return None
    if mapping.format == "json":
        return JsonRows(outputs, names_of_all, around)
    is_inside = len(names_of_all) > 1 and not any(name.startswith("@") or name == TEXT for name in names_of_all)
    return XmlRows(outputs, names_of_all, mapping.namespaces) if is_inside else None


def _from_around(outputs: Sequence[CompiledOutput]) -> list[Path]:
    """The paths that start from the whole response."""
    sources = [source for output in outputs for source in output.sources]
    return [source.path for source in sources if source.path is not None and source.level == ROOT]


def _looks_at_rows(path: Path, names: tuple[str, ...]) -> bool:
    """Whether a path from the whole response may lead to the rows, or to what holds them."""
    way = path.names() if isinstance(path, XPath) else plain_part(path)[0]
    return way is None or way[: len(names)] == names[: len(way)]


class RowReader:
    """What the readers of both formats have. names: that lead to the rows."""

    def __init__(self, outputs: Sequence[CompiledOutput], names: tuple[str, ...]) -> None:
        self.outputs, self.names = outputs, names
        #: Whether rows take something from around them, which has to be known before they are mapped.
        self.looks_around = bool(_from_around(outputs))
        self._fast: list[FastWay | None] = []

    @property
    def is_row_by_row(self) -> bool:
        """Whether a record depends on the text of its row alone: not on inputs, headers, places around the row, nor on
        the row's own place."""
        return False

    def page(
        self, body: bytes, inputs: Mapping[Hashable, Any], *, form: BodyForm = JSON, known: Known | None = None
    ) -> tuple[Part, Any] | None:
        """A response read at once: (its rows mapped, what is around them, as far as it is wanted); None if it has to be
        read as a whole. known: of readers that are row by row, rows that need not be mapped; it is not asked where rows
        cannot be told apart by their texts."""
        around: list[Any] = []
        try:
            parts = list(self.parts(lambda: (body,), inputs, around, form=form))
        except DocumentError:
            return None
        if not parts:
            return None
        mapped = [
            Mapped(
                sum(one.rows for one in ones),
                sum(one.filtered for one in ones),
                [ordinal for one in ones for ordinal in one.ordinals],
                [data for one in ones for data in one.data],
                [reject for one in ones for reject in one.rejects],
            )
            for ones in zip(*(part.mapped for part in parts), strict=True)
        ]
        return Part(mapped, parts[-1].upto), around[0] if around else []

    def parts(
        self,
        chunks: Chunks,
        inputs: Mapping[Hashable, Any],
        around: list[Any],
        *,
        form: BodyForm = JSON,
        start: RowPlace | None = None,
        name: str = "the response",
    ) -> Iterator[Part]:
        """A response of any size, some rows at a time. chunks: opens it, twice if rows look around.  around: gets the
        document without its rows at the end.  start: to begin after rows that are done.

        Raises DocumentError for what cannot be read; what stands before it was given then. Raises MappingError as
        `CompiledOutput.run` does.
        """
        root: Any = {}
        if self.looks_around and form.format not in ("ndjson", "csv"):
            root = self.around(chunks, form=form, name=name)
        upto, done = RowPlace(0, (0,) * len(self.outputs)), start or RowPlace()
        for batch in self._batches(chunks, around, form, name):
            if upto.first + len(batch.items) <= done.first:
                upto = replace(upto, first=upto.first + len(batch.items))
                continue
            if upto.first <= done.first and start is not None:
                batch, upto = _after(batch, done.first - upto.first), done
            part = self._mapped(root, batch, inputs, upto)
            upto = part.upto
            yield part

    def around(self, chunks: Chunks, *, form: BodyForm = JSON, name: str = "the response") -> Any:
        """A response of any size without its rows; of one value a line, an empty list. Raises DocumentError."""
        rest: list[Any] = []
        for _ in self._batches(chunks, rest, form, name):
            pass
        return rest[0] if rest else []

    def first(self, chunks: Chunks, *, form: BodyForm = JSON, most: int = 200) -> Any:
        """The first rows of a response of any size, whole and in their place, as if there were no others. Raises
        DocumentError."""
        for batch in self._batches(chunks, [], form, "the response"):
            value: Any = [batch.whole(index) for index in range(min(most, len(batch.items)))]
            if batch.keys is not None:
                value = dict(zip(batch.keys, value, strict=False))
            for name in reversed(self.names):
                value = {name: value}
            return value
        return None

    def _batches(self, chunks: Chunks, around: list[Any], form: BodyForm, name: str) -> Iterator[_Batch]:
        raise NotImplementedError

    def _mapped(self, root: Any, batch: _Batch, inputs: Mapping[Hashable, Any], at: RowPlace) -> Part:
        mapped = []
        ordinals = at.ordinals or (0,) * len(self.outputs)
        for output, fast, ordinal in zip(self.outputs, self._fast, ordinals, strict=True):
            rows = Rows(batch.items, lambda index: self._place(at.first, index, batch), batch.whole, at.first, ordinal)
            if batch.is_partly and fast is not None:
                try:
                    mapped.append(output.run_rows(root, rows, inputs, fast))
                    continue
                except NotPlain:
                    pass
            whole = replace(rows, items=[batch.whole(index) for index in range(len(batch.items))])
            mapped.append(output.run_rows(root, whole, inputs, output.fast))
        done = tuple(ordinal + one.rows for ordinal, one in zip(ordinals, mapped, strict=True))
        return Part(mapped, RowPlace(at.first + len(batch.items), done))

    def _place(self, first: int, index: int, batch: _Batch) -> Location:
        if batch.keys is not None:
            return (*self.names, batch.keys[index])
        if batch.numbers is not None:
            return (*self.names, batch.numbers[index])
        return (*self.names, first + index) if batch.is_list else self.names


class JsonRows(RowReader):
    """Reads JSON, or one value a line, for outputs that go through the list at `names`."""

    def __init__(
        self, outputs: Sequence[CompiledOutput], names: tuple[str, ...], also: Iterable[Sequence[str]] = ()
    ) -> None:
        super().__init__(outputs, names)
        root = Members()
        row = root.want(names).each()
        around = [plain_part(path)[0] for path in _from_around(outputs)]
        for place in (*around, *also):
            root.want(place).is_whole = True
        for output in outputs:
            if output.is_plain:
                wanted_of_rows(output.levels, output.sources, row)
            else:
                row.is_whole = True
        members = members_at(root, names)
        is_apart = members is not None and not members.is_whole and not members.members
        self._root = root
        self._or_one = any(output.or_one[0] for output in outputs)
        self._page = decoder_of(root.annotation()) if is_apart else None
        self._rows = decoder_of(list[row.annotation()])  # type: ignore[misc]
        self._texts = _texts_reader(names, [*around, *also])
        self._members = decoder_of(dict[str, row.annotation()])  # type: ignore[misc]
        self._fast = [
            fast_way(output.levels, output.rules, output.conditions, None if row.is_whole else row)
            if output.is_plain
            else None
            for output in outputs
        ]
        self._raw_page = _raw_reader(names)

    @property
    def is_row_by_row(self) -> bool:
        output = self.outputs[0]
        return (
            len(self.outputs) == 1
            and self._page is not None
            and output.is_plain
            and len(output.levels) == 1
            and not output.or_one[0]
            and all(
                one.input is None and one.position is None and (one.path is None or one.level != ROOT)
                for source in output.sources
                for one in source.with_inner()
            )
        )

    def page(
        self, body: bytes, inputs: Mapping[Hashable, Any], *, form: BodyForm = JSON, known: Known | None = None
    ) -> tuple[Part, Any] | None:
        if form.format != "json":
            return super().page(body, inputs, form=form)
        if self._page is None or not is_utf8(form.charset):
            return None
        try:
            if known is not None and self.is_row_by_row:
                return self._page_but(known, body, inputs)
            root, rows = self._rows_in(self._page, self._root, body)
            if rows is None:
                return None
            return self._mapped(root, _Batch(rows, _wholes(lambda: self._raw_page(body))), inputs, RowPlace()), root
        except (NotPlain, *_UNREADABLE):
            return None

    def _page_but(self, known: Known, body: bytes, inputs: Mapping[Hashable, Any]) -> tuple[Part, Any] | None:
        """Reads a page without the rows that are known. Raises as the decoder does."""
        root, texts = self._rows_in(*self._texts, body)
        if texts is None:
            return None
        hashes = [blake2b(text, digest_size=16).digest() for text in texts]
        found = known(hashes)
        numbers = [number for number, one in enumerate(found) if not one]
        if len(numbers) == len(texts):  # the decoder is spared to put them together
            wanted: Sequence[Any] = texts
            _, rows = self._rows_in(self._page, self._root, body)
        else:
            wanted = [texts[number] for number in numbers]
            rows = self._rows.decode(b"[%b]" % b",".join(wanted))
        part = self._mapped(root, _Batch(rows or (), _wholes(lambda: wanted), numbers=numbers), inputs, RowPlace())
        [mapped] = part.mapped
        mapped.rows += len(texts) - len(wanted)
        if len(wanted) < len(texts):
            mapped.ordinals = [numbers[ordinal] for ordinal in mapped.ordinals]
            mapped.rejects = [replace(reject, ordinal=numbers[reject.ordinal]) for reject in mapped.rejects]
        upto = RowPlace(len(texts), (len(texts),))
        return Part(part.mapped, upto, hashes, [pair for pair in zip(found, hashes, strict=True) if pair[0]]), root

    def _rows_in(self, decoder: Any, member: Members, body: bytes) -> tuple[Any, list[Any] | None]:
        """(what is around the rows, as far as it is wanted; the rows, None if there is no list of them)."""
        held: Any = decoder.decode(body)
        root = member.value_of(held)
        for name in self.names:
            if type(held) is not member.kind:
                return root, None
            held, member = getattr(held, member.attribute(name)), member.members[name]
        return root, held if type(held) is list else None

    def _batches(self, chunks: Chunks, around: list[Any], form: BodyForm, name: str) -> Iterator[_Batch]:
        first = 0
        if form.format in ("ndjson", "csv") and self.names:
            words = "one JSON value a line" if form.format == "ndjson" else "one row a line"
            raise DocumentError(
                f"the response has {words}, and the mapping looks for {'.'.join(self.names)}",
                where=name,
                hint="let the first level go through [*]",
            )
        if form.format == "csv":
            for rows in csv_rows(chunks(), media_type=form.media_type, charset=form.charset, name=name):
                yield _Batch(rows, rows.__getitem__, is_partly=False)
            return
        if form.format == "ndjson":
            for text in line_slices(chunks(), charset=form.charset, name=name):
                try:
                    items = self._rows.decode_lines(text)
                    lines = [line for line in text.split(b"\n") if line.strip()]
                    yield _Batch(items, _wholes(lambda lines=lines: lines))  # type: ignore[misc]
                except _UNREADABLE:
                    items = [read_json(line, limits=_UNWALKED, name=name) for line in text.split(b"\n") if line.strip()]
                    yield _Batch(items, items.__getitem__, is_partly=False)
            return
        rest = Around()
        alone: dict[str, Any] = {}
        decoders = self._rows.decode, self._members.decode
        for text, found in list_slices(chunks(), self.names, rest, *decoders, charset=form.charset, name=name):
            if self._or_one and text[:1] == b"{":
                alone |= read_json(text, limits=_UNWALKED, name=name)
                continue
            is_partly = found is not None
            values = _slowly(text, first, name) if found is None else found
            keys = list(values) if isinstance(values, dict) else None
            items = list(values.values()) if isinstance(values, dict) else values
            wholes = _wholes(partial(_raw_values, text, keys)) if is_partly else items.__getitem__
            yield _Batch(items, wholes, is_partly=is_partly, keys=keys)
            first += len(items)
        held = read_json(rest.text(), name=name)
        if self._or_one and isinstance(at_names(held, self.names), dict):
            yield _Batch([alone], [alone].__getitem__, is_partly=False, is_list=False)
        around.append(held)


class XmlRows(RowReader):
    """Reads XML for outputs that go through the elements at `names`."""

    def __init__(
        self, outputs: Sequence[CompiledOutput], names: tuple[str, ...], namespaces: Mapping[str, str]
    ) -> None:
        super().__init__(outputs, names)
        self._namespaces = namespaces
        self._fast = [
            element_way(output.levels, output.rules, output.conditions, namespaces) if output.is_plain else None
            for output in outputs
        ]

    def _batches(self, chunks: Chunks, around: list[Any], form: BodyForm, name: str) -> Iterator[_Batch]:
        reading = ElementRows(self.names, self._namespaces, charset=form.charset, limits=_UNWALKED, name=name)
        first = 0
        try:
            for rows in reading.parts(chunks()):
                whole = partial(_value_at, reading, rows)
                yield _Batch(rows, whole, is_list=first + len(rows) > 1)
                first += len(rows)
        except NotApart as error:
            raise DocumentError(
                f"what should be around the rows at {'/'.join(self.names)} is there more than once",
                where=name,
                hint="make it a level of its own in the mapping",
            ) from error
        around.append(reading.around)


def _value_at(reading: ElementRows, rows: Sequence[Element], index: int) -> Any:
    return reading.value_of(rows[index])


def _after(batch: _Batch, number: int) -> _Batch:
    keys = batch.keys and batch.keys[number:]
    return replace(batch, items=batch.items[number:], whole=lambda index: batch.whole(index + number), keys=keys)


def _raw_values(text: bytes, keys: Sequence[str] | None) -> Sequence[bytes]:
    """The texts of the values in a JSON list, or in an object with these keys."""
    return _raw_list(text) if keys is None else list(_raw_object(text).values())


def _wholes(raw: Callable[[], Sequence[Any]]) -> Callable[[int], Any]:
    """Gives one whole value by index. raw: the texts of all; asked for once, when the first is wanted."""
    held: list[Sequence[Any]] = []

    def whole(index: int) -> Any:
        if not held:
            held.append(raw())
        return read_json(bytes(held[0][index]), limits=_UNWALKED)

    return whole


def _slowly(text: bytes, first: int, name: str) -> Values:
    """Values that the fast decoder refuses: half surrogates, which cost one row each; raises DocumentError for what is
    no JSON."""
    try:
        found: Values = read_json(text, limits=_UNWALKED, name=name)
    except DocumentError as error:
        where = f"{name}, in the rows after {first:,}"
        raise DocumentError(error.message, where=where, hint=error.hint) from error
    return found


def _texts_reader(names: Sequence[str], around: Iterable[Sequence[str]]) -> tuple[msgspec.json.Decoder[Any], Members]:
    """Reads what is wanted around the rows, and the rows as they are written."""
    root = Members()
    root.want(names).each().is_text = True
    for place in around:
        root.want(place).is_whole = True
    return decoder_of(root.annotation()), root


def _raw_reader(names: Sequence[str]) -> Callable[[bytes], list[Any]]:
    """Gives the texts of the elements of the list at a place of a sound document."""
    kind: Any = list[msgspec.Raw]
    for name in reversed(names):
        kind = msgspec.defstruct("Holder", [("held", kind, msgspec.field(name=name))])
    decode = msgspec.json.Decoder(kind).decode

    def read(body: bytes) -> list[Any]:
        found = decode(body)
        for _ in names:
            found = found.held
        return found  # type: ignore[no-any-return]

    return read
