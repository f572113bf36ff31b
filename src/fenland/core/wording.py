"""Wording: what pages for people without an account say, in English, and how other languages are read.

A project adds `messages/de.yaml`: under `words` any of these by its name, under `texts` what stands in its
definitions (titles, choices, introductions), each by its own text. What is left out is said in English.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from fenland.core.names import did_you_mean

_PLACE = re.compile(r"\{(\w+)\}")
#: Tags of languages, as RFC 5646 has the usual ones.
LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Z][a-z]{3})?(-[A-Z]{2})?")

#: By name, in the order in which a page says them; `{…}` stands for what is filled in.
WORDS: Mapping[str, str] = {
    "what_is_wrong": "Is anything wrong? Tick it, and write what is right.",
    "is_wrong": "This is wrong: {field}",
    "nothing_there": "nothing",
    "waits_here": "What you sent waits to be looked at: {value}",
    "note": "Anything else you would like to say",
    "send": "Send",
    "all_right": "All of it is right",
    "ask_deletion": "Ask for this to be deleted",
    "deletion_meant": "Yes, I would like this to be deleted",
    "report": "Send in: {title}",
    "back": "Back",
    "yes": "Yes",
    "no": "No",
    "not_said": "not said",
    "choose": "Choose",
    "search": "Search",
    "search_for": "Search for {field}",
    "each_line": "One on each line.",
    "required": "must be filled",
    "older": "Further on",
    "nothing_listed": "There is nothing here at present.",
    "refreshes": "This list follows what is changed.",
    "sent_title": "Thank you",
    "sent_before": "This came in before, on {time}. It was not taken a second time.",
    "nothing_differs": "Nothing that you sent differs from what is there. Nothing was changed.",
    "confirmed": "You said that all of it is right.",
    "deletion_asked": "You asked for this to be deleted. Somebody will look at it.",
    "applied_now": "This is changed now:",
    "waits_now": "Somebody will look at this before it is changed:",
    "changed_meanwhile": "Others have changed this in the meantime. Somebody will look at both:",
    "created_now": "It has been taken in.",
    "created_waits": "It has come in. Somebody will look at it.",
    "yours": "What you sent",
    "state_waiting": "waits to be looked at",
    "state_applied": "was taken over",
    "state_partly": "was taken over in part",
    "state_refused": "was not taken over",
    "state_withdrawn": "was taken back",
    "state_overtaken": "was followed by what you sent later",
    "kind_confirm": "All is right",
    "kind_delete": "Deletion",
    "reason": "Reason: {reason}",
    "withdraw": "Take it back",
    "withdrawn_now": "What still waited was taken back.",
    "ended_title": "This link is not good",
    "ended": "It is wrong, or not good any more. Ask whoever sent it to you for another.",
    "too_many_title": "A moment, please",
    "too_many": "There was too much at once. Try again in {minutes} minutes.",
    "answer_title": "One question first",
    "answer_ask": "So that nobody else can use this link: {field}",
    "answer_send": "Go on",
    "answer_wrong": "That is not what we have. Try again.",
    "locked_title": "This link is locked",
    "locked": "Too many answers were wrong. Ask whoever sent it to you to unlock it.",
    "wrong_title": "Not sent yet",
    "wrong": "Something is not right yet. Nothing that you wrote is lost:",
    "wrong_elsewhere": "It cannot be taken as it is: {detail}",
    "changed_much": "It was changed too much since you opened this page. Here is how it stands now.",
    "too_large": "That is too much to be sent at once. Send less.",
    "not_possible": "That cannot be sent by this link. Open the page again, and send from there.",
    "unavailable": "It cannot be taken at the moment. Nothing is lost: send it again in a moment.",
    "skip": "To the content",
    "problem_required": "This must be filled.",
    "problem_null": "This must be filled.",
    "problem_blank": "This must be filled.",
    "problem_type": "This cannot be read. Write it like the one that is there.",
    "problem_format": "This cannot be read as {format}.",
    "problem_pattern": "This does not have the form that it must have.",
    "problem_enum": "Choose one of those that are there.",
    "problem_max_length": "This is too long: at most {max_length} characters.",
    "problem_min_length": "This is too short: at least {min_length} characters.",
    "problem_maximum": "This is too much: at most {maximum}.",
    "problem_minimum": "This is too little: at least {minimum}.",
    "problem_multiple_of": "This must be a multiple of {multiple_of}.",
    "problem_max_items": "These are too many: at most {max_items}.",
    "problem_min_items": "These are too few: at least {min_items}.",
    "problem_unique_items": "One of them stands there twice.",
    "problem_unique": "Another already has this.",
    "problem_reference": "Choose one of those that are there.",
    "problem_not_permitted": "This cannot be changed at present.",
}


@dataclass(frozen=True, slots=True)
class Wording:
    """What one language says: words of ours by name, and texts of definitions by their own."""

    language: str = "en"
    words: Mapping[str, str] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)

    def say(self, name: str, **values: Any) -> str:
        """What stands under a name, with its places filled."""
        said = self.words.get(name) or WORDS[name]
        return _PLACE.sub(lambda place: str(values.get(place[1], "")), said)

    def knows(self, name: str) -> bool:
        """Whether there are words under a name."""
        return name in WORDS

    def text(self, own: str) -> str:
        """A text of the definitions, in this language where it is said."""
        return self.texts.get(own, own)


#: What is said where nobody says otherwise.
ENGLISH = Wording()


def wrong_in(data: Any) -> Iterator[tuple[tuple[str, ...], str, str]]:
    """What is wrong with the content of a file of messages: where, what, and what to do."""
    if not isinstance(data, dict):
        yield (), "The file holds no mapping.", "Begin with words: or texts:."
        return
    for part, given in data.items():
        if part not in ("words", "texts"):
            yield (part,), f"Messages have no {part!r}.", did_you_mean(str(part), ("words", "texts"))
        elif not isinstance(given, dict):
            yield (part,), f"{part} holds no mapping.", "Write names and texts."
        else:
            yield from _wrong_texts(part, given)


def _wrong_texts(part: str, given: Mapping[Any, Any]) -> Iterator[tuple[tuple[str, ...], str, str]]:
    for name, text in given.items():
        path = (part, str(name))
        if not isinstance(text, str) or not text:
            yield path, f"{name} says nothing.", "Write a text, or leave it out."
        elif part == "words" and name not in WORDS:
            yield path, f"There are no words {name!r}.", did_you_mean(str(name), WORDS)
        elif part == "words" and (strange := {*_PLACE.findall(text)} - {*_PLACE.findall(WORDS[name])}):
            places = ", ".join(sorted(f"{{{one}}}" for one in strange))
            yield path, f"{name} has no {places}.", f"It is: {WORDS[name]}"
