"""The JSON of forms, shared by the routes that answer with one."""

from __future__ import annotations

from typing import Any

from fenland.service.forms.form import Form


def form_json(form: Form, prefix: str) -> dict[str, Any]:
    """All a form needs. `version` and `etag` are null for a record that is yet to be created.

    Choices of references say where more of them can be searched.
    """
    here = f"{prefix}/v1/schemas/{form.collection.name}/choices"
    references = [name for name in form.choices if form.collection.fields[name].references]
    searched = {name: {**form.choices[name], "search": f"{here}/{name}"} for name in references}
    return {
        "values": form.values,
        "version": form.saved.record["version"] if form.saved else None,
        "etag": form.saved.etag if form.saved else None,
        "schema": form.schema,
        "choices": {**form.choices, **searched},
        "writable": form.writable,
        "deletable": form.deletable,
        "erasable": list(form.erasable),
    }
