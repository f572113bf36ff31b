"""Handing out: a pass is made or revoked, with its entry in the history. Who may, others have judged.

Rules hand passes out while changes are written (`changes/applying.py`), people by `passes/passes.py`.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import replace
from datetime import timedelta

from fenland.core.access.policy import Caller
from fenland.core.definitions.model import PassTemplate
from fenland.core.history.entries import PASSES
from fenland.service.entering import About, Did, enter_about
from fenland.service.service import Service
from fenland.storage.door import Pass, Writing

#: Bytes of a secret: 192 bits.
_SECRET, _SALT = 24, 16


def new_secret() -> str:
    """The secret of a pass, which stands in its link."""
    return secrets.token_urlsafe(_SECRET)


def new_salt() -> str:
    """What cookies of a pass are signed with."""
    return secrets.token_hex(_SALT)


def hash_of(secret: str) -> str:
    """What is kept of a secret. It is random and long, so that one round says as little as many."""
    return hashlib.sha256(secret.encode("utf-8", "surrogatepass")).hexdigest()


def blank_pass(service: Service, collection: str, template: PassTemplate, days: int | None = None) -> Pass:
    """A new pass of a template, from now on; for no record, of nobody, and without a secret yet."""
    return Pass(
        id=service.new_id(),
        collection=collection,
        template=template.name,
        record_id="",
        key=None,
        definitions=service.database.number,
        maker="",
        rule="",
        made_at=service.now(),
        expires_at=service.now(timedelta(days=days or template.days)),
        salt=new_salt(),
    )


def hand_out(
    service: Service, writing: Writing, about: Pass, caller: Caller, cause: int | None = None
) -> int:
    """Keeps a pass, and enters who handed it out; its number.

    `cause` is the entry of the change that it follows from.
    """
    number = service.database.passes.add(writing, about)
    changes = {part: (None, value) for part, value in about.parts.items() if value is not None}
    did = Did("create", changes, None, about.rule or None, cause, about.version)
    enter_about(service, writing, About(PASSES, about.id, number), did, caller)
    return number


def revoke(service: Service, writing: Writing, one: Pass, caller: Caller) -> bool:
    """Ends a pass for good, and enters that; whether it had not been before."""
    if one.revoked_at is not None:
        return False
    after = replace(one, revoked_at=service.now(), version=one.version + 1)
    service.database.passes.change(writing, after)
    enter_pass(service, writing, after, Did("update", {"revoked_at": (None, after.revoked_at)}), caller)
    return True


def enter_pass(service: Service, writing: Writing, one: Pass, did: Did, caller: Caller) -> None:
    """Adds an entry about a pass, which is at its version by that."""
    about = About(PASSES, one.id, one.number)
    enter_about(service, writing, about, did._replace(version=one.version), caller)
