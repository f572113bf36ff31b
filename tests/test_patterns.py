"""Patterns mean here what they mean in a browser: each is tried against Node's own regular expressions."""

from __future__ import annotations

import json
import subprocess

import pytest

from fenland.core.values.patterns import compile_pattern

# fmt: off
PATTERNS = [r"^a.c$",r"a$",r"\bcat\b",r"^[\w.-]+$",r"[^\d]",r"[\b]",r"\d+\D",r"[[a]",r"(?<y>\d{4})-(?<m>\d\d)",r"^\u{1F600}$",r"^\ud83d\ude00$",r"\s",r"^\S+$",r"[\s\S]",r"^[]$",r"^[^]$",r"a{2,3}?b",r"\cJ",r"\x41\u0042",r"\0",r"(a|b)*c",r"^$","",r"a|b|",r"\/\-",r"[\-a]",r"[a-]",r"[a\]b]",r"\$\^\.",r"(?:ab)+",r"\w{1,1000}",r"[\D]",r"[^\s\w]",r".", r"^.$",r"[&&]",r"[a--b]",r"x*?",
 r"(?P<n>a)",r"(?i)a",r"\Z",r"\Aa",r"a{",r"{",r"a{2,1}",r"[z-a]",r"(",r")",r"*a",r"a**",r"\q",r"]",r"}",r"(?#x)a",r"\_",r"[\d-x]",r"\u{110000}",r"(?<a>x)(?<a>y)",r"\07",r"\c1",r"\x4",r"\u12",r"a++",r"\h",r"[:alpha:]",r"(?<1>a)",r"^*",r"\8"]
TEXTS = ["","a","abc","a\nc","a\rc","a\u2028c","a\u0085c","a\n","cat","a cat.","écat","concat","é","1","2031-04","\U0001F600","\u00a0","\ufeff","\x08","[","]","aab","aaab","\n","AB","\0","-","b-","&","_","²","٣","\u180e","abab","x"]
# fmt: on
#: What a browser knows and no automaton can match, or not in a bounded room.
REFUSED = [
    r"(?=a)",
    r"(?!a)",
    r"(?<=a)",
    r"(?<!a)",
    r"(a)\1",
    r"(?<n>a)\k<n>",
    r"\B",
    r"\p{L}",
    r"a{1001}",
    r"(a{1000}){1000}",
]
_NODE = """const [patterns, texts] = JSON.parse(require("fs").readFileSync(0));
const tried = (one) => { try { const found = new RegExp(one, "u"); return texts.map((text) => found.test(text)) } catch { return null } };
console.log(JSON.stringify(patterns.map(tried)))"""


@pytest.fixture(scope="module")
def node() -> list[list[bool] | None]:
    given = json.dumps([PATTERNS, TEXTS])
    done = subprocess.run(["node", "-e", _NODE], input=given, capture_output=True, text=True, check=True)
    found: list[list[bool] | None] = json.loads(done.stdout)
    return found


def test_each_pattern_matches_what_it_matches_in_node(node: list[list[bool] | None]) -> None:
    assert len(node) == len(PATTERNS)
    for pattern, wanted in zip(PATTERNS, node, strict=True):
        try:
            matches = compile_pattern(pattern)
            found = [bool(matches(text)) for text in TEXTS]
        except ValueError:
            found = None
        assert found == wanted, pattern


@pytest.mark.parametrize("pattern", REFUSED)
def test_what_cannot_be_matched_in_linear_time_is_refused(pattern: str) -> None:
    with pytest.raises(ValueError, match=r"linear time|quickly|not known here|a count is above"):
        compile_pattern(pattern)


@pytest.mark.parametrize("pattern", [r"^(a+)+$", r"(a|aa)*b", r"^(\w+\s?)*$", r"^(a|a?)+$"])
def test_no_pattern_goes_back_and_forth(pattern: str) -> None:
    # Matched by going back this would not end before the universe does.
    assert not compile_pattern(pattern)("a" * 100_000 + "!")
