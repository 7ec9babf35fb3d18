"""What leads from one stored recipe document to another: what a history keeps instead of whole recipes."""

from typing import Any

Document = dict[str, Any]
Difference = dict[str, Any]


def between(before: Document, after: Document) -> Difference:
    """``{"put": {section: {control: value}}, "whole": {key: value}, "gone": [[section], [section, control]]}``, empty parts left
    out. ``applied(before, between(before, after)) == after`` for any two documents, whichever programs wrote them."""
    put: dict[str, dict[str, Any]] = {}
    whole: dict[str, Any] = {}
    gone: list[list[str]] = [[key] for key in before if key not in after]
    for key, value in after.items():
        old = before.get(key)
        if isinstance(value, dict) and isinstance(old, dict):
            changed = {
                name: v for name, v in value.items() if name not in old or old[name] != v or type(old[name]) is not type(v)
            }
            if changed:
                put[key] = changed
            gone += [[key, name] for name in old if name not in value]
        elif key not in before or old != value:
            whole[key] = value
    parts = {"put": put, "whole": whole, "gone": gone}
    return {name: part for name, part in parts.items() if part}


def applied(document: Document, difference: Difference) -> Document:
    """The document after a difference; the one given is not changed."""
    out = dict(document)
    for path in difference.get("gone", ()):
        if len(path) == 1:
            out.pop(path[0], None)
        else:
            out[path[0]] = {name: v for name, v in out[path[0]].items() if name != path[1]}
    out.update(difference.get("whole", {}))
    for section, values in difference.get("put", {}).items():
        out[section] = {**out[section], **values}
    return out
