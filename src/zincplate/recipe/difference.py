"""What leads from one stored recipe document to another: what a history keeps instead of whole recipes.

Lists whose items have ids (passes, the parts of their areas, strokes, keys) are kept item by item: a stroke more on a long
painting is one stroke in the history, not the painting once more.
"""

from typing import Any

Document = dict[str, Any]
Difference = dict[str, Any]


def between(before: Document, after: Document) -> Difference:
    """``{"put": {section: {control: value}}, "items": {section: {control: items}}, "within": {section: {control: {...}}},
    "whole": {key: value}, "gone": [[section], [section, control]]}``, empty parts left out. ``applied(before, between(before,
    after)) == after`` for any two documents, whichever programs wrote them."""
    parts: dict[str, dict[str, Any]] = {"put": {}, "items": {}, "within": {}}
    whole: dict[str, Any] = {}
    gone: list[list[str]] = [[key] for key in before if key not in after]
    for key, value in after.items():
        old = before.get(key)
        if isinstance(value, dict) and isinstance(old, dict):
            inner = _between_dicts(old, value)
            for part, of in parts.items():
                if part in inner:
                    of[key] = inner[part]
            gone += [[key, name] for name in inner.get("gone", ())]
        elif key not in before or not _same(old, value):
            whole[key] = value
    return _filled({**parts, "whole": whole, "gone": gone})


def applied(document: Document, difference: Difference) -> Document:
    """The document after a difference; the one given is not changed."""
    out = dict(document)
    for path in difference.get("gone", ()):
        if len(path) == 1:
            out.pop(path[0], None)
        else:
            out[path[0]] = {name: v for name, v in out[path[0]].items() if name != path[1]}
    out.update(difference.get("whole", {}))
    parts = {part: difference.get(part, {}) for part in ("put", "items", "within")}
    for section in {name: None for of in parts.values() for name in of}:
        out[section] = _applied_to_dict(out[section], {part: of.get(section, {}) for part, of in parts.items()})
    return out


def _same(a: Any, b: Any) -> bool:
    """Equal, and of one type: 1, 1.0 and True are three values of a document."""
    if type(a) is not type(b):
        return False
    if isinstance(a, dict):
        return a.keys() == b.keys() and all(_same(v, b[k]) for k, v in a.items())
    if isinstance(a, list):
        return len(a) == len(b) and all(map(_same, a, b))
    return bool(a == b)


def _ids(value: Any) -> list[str] | None:
    """Ids of a list of items; None when it is no such list."""
    if not isinstance(value, list) or not all(isinstance(v, dict) and isinstance(v.get("id"), str) for v in value):
        return None
    ids = [v["id"] for v in value]
    return ids if len(set(ids)) == len(ids) else None


def _between_dicts(old: Document, new: Document) -> Difference:
    put: dict[str, Any] = {}
    items: dict[str, Any] = {}
    within: dict[str, Any] = {}
    for name, value in new.items():
        if name not in old:
            put[name] = value
        elif _same(old[name], value):
            continue
        elif _ids(old[name]) and _ids(value) is not None:
            items[name] = _between_items(old[name], value)
        elif isinstance(value, dict) and isinstance(old[name], dict):
            within[name] = _between_dicts(old[name], value)
        else:
            put[name] = value
    return _filled({"put": put, "items": items, "within": within, "gone": [name for name in old if name not in new]})


def _between_items(old: list[Document], new: list[Document]) -> Difference:
    was = {item["id"]: item for item in old}
    order = [item["id"] for item in new]
    fresh = {item["id"]: item for item in new if item["id"] not in was}
    changed = {i["id"]: _between_dicts(was[i["id"]], i) for i in new if i["id"] in was and not _same(was[i["id"]], i)}
    # where nothing went and new ones came last, the order says itself
    return _filled({"order": [] if order == [*was, *fresh] else order, "new": fresh, "changed": changed, "none": not order})


def _applied_to_dict(value: Document, difference: Difference) -> Document:
    out = {name: v for name, v in value.items() if name not in difference.get("gone", ())}
    out.update(difference.get("put", {}))
    for name, inner in difference.get("within", {}).items():
        out[name] = _applied_to_dict(out[name], inner)
    for name, inner in difference.get("items", {}).items():
        out[name] = _applied_to_items(out[name], inner)
    return out


def _applied_to_items(value: list[Document], difference: Difference) -> list[Document]:
    if difference.get("none"):
        return []
    there = {item["id"]: item for item in value} | difference.get("new", {})
    for name, inner in difference.get("changed", {}).items():
        there[name] = _applied_to_dict(there[name], inner)
    return [there[name] for name in difference.get("order") or there]


def _filled(parts: Difference) -> Difference:
    return {name: part for name, part in parts.items() if part}
