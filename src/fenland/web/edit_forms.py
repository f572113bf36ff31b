"""The JSON of forms, shared by the routes that answer with one."""

from __future__ import annotations

from typing import Any

from fenland.service.form import Form


def form_json(form: Form) -> dict[str, Any]:
    """All a form needs. `version` and `etag` are null for a record that is yet to be created."""
    return {
        "values": form.values,
        "version": form.saved.record["version"] if form.saved else None,
        "etag": form.saved.etag if form.saved else None,
        "schema": form.schema,
        "choices": form.choices,
        "writable": form.writable,
        "deletable": form.deletable,
    }
