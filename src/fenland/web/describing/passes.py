"""Schemas of passes, of the links that they have, and of what comes in through them."""

from __future__ import annotations

from typing import get_args

from fenland.service.passes.passes import STATES
from fenland.storage.door import FieldState, ProposalKind, ProposalState
from fenland.web.http.schemas import (
    ANY,
    FLAG,
    MOMENT,
    NUMBER,
    OPEN,
    REASON,
    TEXT,
    Schema,
    closed,
    nullable,
    ref,
    taken,
    texts,
)

_KEY: Schema = {"type": ["string", "integer", "null"]}
_DAYS: Schema = {
    "type": ["integer", "null"],
    "minimum": 1,
    "maximum": 3_650,
    "description": "For how many days it is good; as the template says if left out.",
}
_PASS: Schema = {
    "number": NUMBER,
    "collection": TEXT,
    "template": TEXT,
    "key": {**_KEY, "description": "Of the record that it is for; null for a list."},
    "maker": {**nullable(TEXT), "description": "Whose rights it lends; null where a rule made it."},
    "rule": {**nullable(TEXT), "description": "Where that rule stands, file and line."},
    "run": {**nullable(TEXT), "description": "The letter run that it was made in."},
    "state": {
        "enum": list(STATES),
        "description": "idle: its record, its template or its maker does not allow it any more.",
    },
    "made_at": MOMENT,
    "expires_at": MOMENT,
    "revoked_at": nullable(MOMENT),
    "opened_at": {**nullable(MOMENT), "description": "When its page was first opened."},
    "sent_at": {**nullable(MOMENT), "description": "When something was last sent by it."},
    "sent": {**NUMBER, "description": "How often something was."},
}
_LINK: Schema = {
    "link": {**TEXT, "description": "What its holder opens. Shown this once: only a hash is kept of it."}
}
_PROPOSED = closed(
    {
        "base": {**ANY, "description": "What stood there as its sender saw it."},
        "proposed": {**ANY, "description": "What they would have there."},
        "current": {**ANY, "description": "What stands there now."},
        "state": {"enum": list(get_args(FieldState))},
        "conflict": {**FLAG, "description": "Whether others changed it since it was proposed."},
        "reason": {**nullable(TEXT), "description": "Why it was refused."},
        "by": {**nullable(TEXT), "description": "Who settled it."},
        "time": {**nullable(MOMENT), "description": "When that was."},
        "hidden": {**FLAG, "description": "Whether you may not read it: then nothing else is told."},
    },
    optional=("base", "proposed", "current", "conflict", "hidden"),
)
_PROPOSAL: Schema = {
    "number": NUMBER,
    "pass": NUMBER,
    "template": TEXT,
    "collection": {**TEXT, "description": "That of the fields: of a new record, where it would be created."},
    "of": {**TEXT, "description": "The collection of the record that the pass is for."},
    "key": {**_KEY, "description": "Of the record that the pass is for."},
    "version": {**nullable(NUMBER), "description": "At which that record is now; null where it is gone."},
    "kind": {"enum": list(get_args(ProposalKind))},
    "state": {"enum": list(get_args(ProposalState))},
    "fields": {"type": "object", "additionalProperties": _PROPOSED},
    "created": {**_KEY, "description": "The key of the record that it created."},
    "note": {**TEXT, "description": "What its sender says to whoever reviews it."},
    "from": {**TEXT, "description": "From where it came, as far as that is kept."},
    "time": MOMENT,
}
_SETTLING: Schema = {
    "fields": {**texts(), "description": "Which fields; all that wait if left out."},
    "reason": {**REASON, "description": "Why. Refusing needs one."},
}
_APPLYING: Schema = {
    **_SETTLING,
    "values": {**OPEN, "description": "By field, what is to stand there in place of what was proposed."},
    "base": {
        **NUMBER,
        "description": "The version of the record that you saw: what others changed up to it is no conflict.",
    },
}
#: Bodies and answers of one route each.
RENEWING: Schema = taken({"days": _DAYS}, optional=("days",))
REVOKED: Schema = closed({"revoked": {**NUMBER, "description": "How many were good until then."}})
COUNTS: Schema = closed(
    {
        "waiting": {"type": "object", "additionalProperties": NUMBER},
        "all": {**NUMBER, "description": "How many that is."},
    },
    description="By collection, how many wait that you may review.",
)
_NUMBERS: Schema = {"proposals": {"type": "array", "items": NUMBER, "maxItems": 100}}

SCHEMAS: dict[str, Schema] = {
    "Pass": closed(_PASS),
    "Passes": closed(
        {
            "items": {"type": "array", "items": ref("schemas/Pass")},
            "next": {**nullable(NUMBER), "description": "Below which number there are more."},
        }
    ),
    "PassNew": taken(
        {"collection": TEXT, "template": TEXT, "key": {"type": ["string", "integer"]}, "days": _DAYS},
        optional=("key", "days"),
    ),
    "PassIssued": closed({**_PASS, **_LINK}),
    "LetterRun": taken(
        {
            "collection": TEXT,
            "template": TEXT,
            "where": {**TEXT, "description": "A condition over records, as lists take it."},
            "equal": {
                "type": "object",
                "additionalProperties": texts(),
                "description": "By field, the values that it may have.",
            },
            "days": _DAYS,
        },
        optional=("where", "equal", "days"),
    ),
    "Proposal": closed(_PROPOSAL),
    "ProposalResult": closed(
        {
            **_PROPOSAL,
            "problems": {
                "type": "array",
                "items": ref("schemas/FieldError"),
                "description": "What would be wrong if all that waits were applied now.",
            },
        }
    ),
    "Proposals": closed(
        {
            "items": {"type": "array", "items": ref("schemas/Proposal")},
            "next": {**nullable(NUMBER), "description": "Behind which number there are more."},
        }
    ),
    "ProposalApply": taken(_APPLYING, optional=tuple(_APPLYING)),
    "ProposalRefuse": taken(_SETTLING, optional=("fields",)),
    "ProposalWithdraw": taken(_SETTLING, optional=tuple(_SETTLING)),
    "ProposalsApply": taken({**_NUMBERS, "reason": REASON}, optional=("reason",)),
    "ProposalsRefuse": taken({**_NUMBERS, "reason": REASON}),
    "ProposalsSettled": closed(
        {
            "items": {
                "type": "array",
                "items": closed(
                    {
                        "number": NUMBER,
                        "state": {**nullable(TEXT), "description": "What has become of it; null if refused."},
                        "problem": {
                            "anyOf": [ref("schemas/Problem"), {"type": "null"}],
                            "description": "Why nothing did.",
                        },
                    }
                ),
            }
        }
    ),
}
