"""Proposals as they change: what has become of each field is kept, and entered into the history.

Whoever proposes or reviews works out the newer proposal, and hands it in here.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import NamedTuple

from fenland.core.access.policy import Caller, pass_name
from fenland.core.evolving.lineage import current_name
from fenland.core.history.entries import PROPOSALS, proposal_id
from fenland.service.entering import About, Did, enter_about, parts_changed
from fenland.service.service import Resource
from fenland.service.work import View, Work
from fenland.storage.door import FieldState, Proposal, ProposalsWanted, ProposedField

#: Proposals that are looked through at a time.
_AT_A_TIME = 200


def begin_proposal(work: Work, one: Proposal) -> int:
    """The number of a proposal that is about to be made: what applies it at once says that number."""
    return work.service.database.proposals.add(work.writing, one)


def add_proposal(work: Work, caller: Caller, one: Proposal) -> Proposal:
    """Keeps a proposal that was begun, and enters that it came in."""
    kept = one if one.state == "waiting" else replace(one, settled_at=work.service.now())
    work.service.database.proposals.change(work.writing, kept)
    _enter(work, kept, Did("create", {name: (None, value) for name, value in kept.parts.items()}), caller)
    return kept


def change_proposal(work: Work, caller: Caller, before: Proposal, after: Proposal) -> Proposal:
    """Keeps what has become of a proposal; where nothing has, nothing is written."""
    changes = parts_changed(before.parts, after.parts)
    if not changes and before == after:
        return before
    settled = None if after.state == "waiting" else after.settled_at or work.service.now()
    kept = replace(after, version=before.version + 1, settled_at=settled)
    work.service.database.proposals.change(work.writing, kept)
    if changes:
        reasons = {one.why for name, one in kept.fields.items() if before.fields.get(name) != one}
        reasons |= {kept.whole.why} if kept.whole != before.whole else set()
        reason = next((one for one in sorted(filter(None, reasons))), None)
        _enter(work, kept, Did("update", changes, reason), caller)
    return kept


def remove_proposal(work: Work, caller: Caller, one: Proposal) -> None:
    """Forgets a proposal that is settled."""
    work.service.database.proposals.remove(work.writing, one.number)
    gone = {name: (value, None) for name, value in one.parts.items()}
    _enter(work, replace(one, version=one.version + 1), Did("delete", gone), caller)


def _enter(work: Work, one: Proposal, did: Did, caller: Caller) -> None:
    about = About(PROPOSALS, proposal_id(one.number), one.number)
    enter_about(work.service, work.writing, about, did._replace(version=one.version), caller)


class Fate(NamedTuple):
    """What becomes of something that was proposed, who decides that, and why."""

    state: FieldState
    by: str
    why: str | None = None


def settled_so(view: View, one: Proposal, names: Iterable[str], fate: Fate) -> Proposal:
    """The proposal with these of its waiting fields settled; of one without fields, the whole of it."""
    now = view.service.now()

    def settled(field: ProposedField) -> ProposedField:
        return replace(field, state=fate.state, why=fate.why, by=fate.by, time=now)

    if not one.fields:
        return replace(one, whole=settled(one.whole)) if one.whole.state == "waiting" else one
    chosen = {*names}
    fields = {
        name: settled(field) if name in chosen and field.state == "waiting" else field
        for name, field in one.fields.items()
    }
    return replace(one, fields=fields)


def overtake(work: Work, caller: Caller, newer: Proposal) -> None:
    """Has the newer proposal of a pass stand in the place of those that wait for the same fields."""
    below = newer.number
    while below:
        wanted = ProposalsWanted(state="waiting", pass_number=newer.pass_number, below=below, newest=True)
        found = work.service.database.proposals.page(work.writing, wanted)
        for one in found:
            if (one.kind, one.record_id) == (newer.kind, newer.record_id) and newer.kind != "create":
                after = settled_so(work, one, newer.fields, Fate("overtaken", name_of(one)))
                change_proposal(work, caller, one, after)
        below = found[-1].number if len(found) == wanted.limit else 0


def name_of(one: Proposal) -> str:
    """What stands in the history for the pass that a proposal came through."""
    return pass_name(one.template, one.pass_number)


def resource_of(view: View, one: Proposal) -> Resource | None:
    """The collection whose template it came by, as it is called by now; None where it is no more."""
    service = view.service
    name = one.collection
    if one.definitions != service.database.number:
        name = current_name(service.passages, one.definitions, name)
    return service.resources.get(name)


def target_of(view: View, one: Proposal) -> Resource | None:
    """The collection whose fields it proposes: of a new record, the one that it would be in."""
    resource = resource_of(view, one)
    if resource is None or one.kind != "create":
        return resource
    template = resource.collection.passes.get(one.template)
    creation = None if template is None else template.creation
    return None if creation is None else view.service.resources.get(creation.collection)


def fields_today(view: View, one: Proposal, resource: Resource) -> dict[str, tuple[str, ProposedField]]:
    """Its fields by the names of today, each with what it is called in the proposal.

    Values are what they would have become since; a field that is no more is left out.
    """
    lineage = view.service.lineage(resource)
    fields = resource.collection.fields
    if one.definitions == view.service.database.number or lineage is None:
        return {name: (name, field) for name, field in one.fields.items() if name in fields}
    found = {}
    for name, field in one.fields.items():
        base = lineage.record(one.definitions, {name: field.base})
        proposed = lineage.record(one.definitions, {name: field.proposed})
        for today in (one for one in proposed if one in fields):
            found[today] = (name, replace(field, base=base.get(today), proposed=proposed[today]))
    return found


def scrub_proposals(work: Work, caller: Caller, record_id: str, names: Iterable[str]) -> None:
    """Takes the values of erased fields of a record out of all that was proposed of it, for good.

    What still waits for one of them is refused by it.
    """
    gone = {*names}
    for one in work.service.database.proposals.about(work.writing, record_id):
        after = (
            settled_so(work, one, gone.intersection(one.fields), Fate("refused", caller.name))
            if one.fields
            else one
        )
        fields = {
            name: replace(field, base=None, proposed=None) if name in gone else field
            for name, field in after.fields.items()
        }
        # What was said beside it may say the value again.
        change_proposal(work, caller, one, replace(after, fields=fields, note=""))
        work.breathe()
