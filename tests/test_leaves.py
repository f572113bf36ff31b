"""What proofs stand on: canonical JSON, leaves, the Merkle tree and signatures, against their RFCs' own answers."""

from __future__ import annotations

import base64
import hashlib
import json
import struct
from decimal import Decimal
from pathlib import Path
from typing import Any

import orjson
import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from hypothesis import given
from hypothesis import strategies as st

from fenland.core.history.leaves import changes_from, changes_text, commitment, from_leaf, leaf_value
from fenland.core.history.merkle import (
    EMPTY,
    completed,
    consistency_path,
    consistent,
    includes,
    inclusion_path,
    leaf_hash,
    node_hash,
    root_of,
)
from fenland.core.history.terms import value_term
from fenland.core.values.canonical import canonical, canonical_plain, number_text
from fenland.core.values.plain import same
from fenland.service.proof.signing_keys import SigningKey, verified

# --- RFC 8785 -----------------------------------------------------------------------------------------

_EXAMPLE = r"""
{
  "numbers": [333333333.33333329, 1E30, 4.50, 2e-3, 0.000000000000000000000000001],
  "string": "\u20ac$\u000F\u000aA'\u0042\u0022\u005c\\\"\/",
  "literals": [null, true, false]
}
"""
_BYTES = """
7b 22 6c 69 74 65 72 61 6c 73 22 3a 5b 6e 75 6c 6c 2c 74 72 75 65 2c 66 61 6c 73 65 5d 2c 22 6e 75 6d 62
65 72 73 22 3a 5b 33 33 33 33 33 33 33 33 33 2e 33 33 33 33 33 33 33 2c 31 65 2b 33 30 2c 34 2e 35 2c 30
2e 30 30 32 2c 31 65 2d 32 37 5d 2c 22 73 74 72 69 6e 67 22 3a 22 e2 82 ac 24 5c 75 30 30 30 66 5c 6e 41
27 42 5c 22 5c 5c 5c 5c 5c 22 2f 22 7d
"""


def test_the_example_of_rfc_8785_is_written_byte_for_byte() -> None:
    assert canonical(json.loads(_EXAMPLE)) == bytes.fromhex(_BYTES.replace("\n", " "))


def test_names_sort_by_utf_16() -> None:
    names = ["\u20ac", "\r", "\ufb33", "1", "\U0001f600", "\u0080", "\u00f6"]
    found = list(json.loads(canonical({name: name for name in names})))
    assert found == ["\r", "1", "\u0080", "\u00f6", "\u20ac", "\U0001f600", "\ufb33"]
    assert canonical_plain({name: [name] for name in names}) == canonical({name: [name] for name in names})


NUMBERS = {
    "0000000000000000": "0", "8000000000000000": "0", "0000000000000001": "5e-324", "8000000000000001": "-5e-324",
    "7fefffffffffffff": "1.7976931348623157e+308", "ffefffffffffffff": "-1.7976931348623157e+308",
    "4340000000000000": "9007199254740992", "c340000000000000": "-9007199254740992",
    "4430000000000000": "295147905179352830000", "44b52d02c7e14af5": "9.999999999999997e+22",
    "44b52d02c7e14af6": "1e+23", "44b52d02c7e14af7": "1.0000000000000001e+23",
    "444b1ae4d6e2ef4e": "999999999999999700000", "444b1ae4d6e2ef4f": "999999999999999900000",
    "444b1ae4d6e2ef50": "1e+21", "3eb0c6f7a0b5ed8c": "9.999999999999997e-7", "3eb0c6f7a0b5ed8d": "0.000001",
    "41b3de4355555553": "333333333.3333332", "41b3de4355555554": "333333333.33333325",
    "41b3de4355555555": "333333333.3333333", "41b3de4355555556": "333333333.3333334",
    "41b3de4355555557": "333333333.33333343", "becbf647612f3696": "-0.0000033333333333333333",
    "43143ff3c1cb0959": "1424953923781206.2",
}  # fmt: skip


@pytest.mark.parametrize(("bits", "text"), NUMBERS.items())
def test_numbers_are_written_as_appendix_b_has_them(bits: str, text: str) -> None:
    assert number_text(struct.unpack(">d", bytes.fromhex(bits))[0]) == text


@pytest.mark.parametrize("value", [float("nan"), float("inf"), 2**53, -(2**60)])
def test_what_is_no_exact_double_is_refused(value: Any) -> None:
    with pytest.raises(ValueError, match=r"numbers|beyond"):
        canonical(value)


# --- leaves -------------------------------------------------------------------------------------------

scalars = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(2**63), 2**63 - 1),
    st.decimals(allow_nan=False, allow_infinity=False, places=3, min_value=-(10**9), max_value=10**9),
    st.floats(allow_nan=False, allow_infinity=False, width=32),
    st.text(max_size=6),
    st.sampled_from(["=1", "==1", "=1.50", "1.50", "="]),
)
values = st.recursive(
    scalars,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=4), inner, max_size=3)
    ),
    max_leaves=5,
)


@given(values)
def test_a_leaf_gives_back_the_value_that_it_was_made_of(value: Any) -> None:
    assert same(from_leaf(orjson.loads(canonical_plain(leaf_value(value)))), value)
    found = changes_from(changes_text({"field": (value, None)}))
    assert same(found["field"][0], value)


@given(values, values)
def test_different_values_never_have_one_leaf(one: Any, other: Any) -> None:
    alike = canonical_plain(leaf_value(one)) == canonical_plain(leaf_value(other))
    assert same(one, other) or not alike


@given(values, values)
def test_values_that_are_the_same_have_one_term(one: Any, other: Any) -> None:
    if not isinstance(one, (list, dict)) and same(one, other):
        assert value_term("f", leaf_value(one)) == value_term("f", leaf_value(other))


def test_a_commitment_is_what_its_description_says() -> None:
    salt = bytes(range(16))
    expected = hashlib.sha256(salt + b'"=12.50"').hexdigest()
    assert commitment(salt, Decimal("12.50")) == expected
    assert commitment(salt, "12.50") == hashlib.sha256(salt + b'"12.50"').hexdigest()


# --- RFC 9162 -----------------------------------------------------------------------------------------

ENTRIES = [f"entry {number}".encode() for number in range(64)]
LEAVES = [leaf_hash(one) for one in ENTRIES]


def naive(leaves: list[bytes]) -> bytes:
    """MTH of section 2.1.1, as it is written there."""
    if not leaves:
        return hashlib.sha256(b"").digest()
    if len(leaves) == 1:
        return leaves[0]
    k = 1
    while k * 2 < len(leaves):
        k *= 2
    return node_hash(naive(leaves[:k]), naive(leaves[k:]))


def naive_path(m: int, leaves: list[bytes]) -> list[bytes]:
    """PATH of section 2.1.3.1."""
    if len(leaves) == 1:
        return []
    k = 1
    while k * 2 < len(leaves):
        k *= 2
    if m < k:
        return [*naive_path(m, leaves[:k]), naive(leaves[k:])]
    return [*naive_path(m - k, leaves[k:]), naive(leaves[:k])]


def naive_proof(m: int, leaves: list[bytes], whole: bool = True) -> list[bytes]:
    """SUBPROOF of section 2.1.4.1."""
    if m == len(leaves):
        return [] if whole else [naive(leaves)]
    k = 1
    while k * 2 < len(leaves):
        k *= 2
    if m <= k:
        return [*naive_proof(m, leaves[:k], whole), naive(leaves[k:])]
    return [*naive_proof(m - k, leaves[k:], False), naive(leaves[:k])]


class Kept:
    """Nodes as storage keeps them: those that each leaf completes."""

    def __init__(self) -> None:
        self.rows: list[list[bytes]] = []
        for leaf in LEAVES:
            self.rows.append(completed(len(self.rows), leaf, self.node))

    def node(self, level: int, place: int) -> bytes:
        return self.rows[((place + 1) << level) - 1][level]


KEPT = Kept()


@pytest.mark.parametrize("size", range(65))
def test_roots_and_paths_are_those_of_the_recursive_definition(size: int) -> None:
    leaves, node = LEAVES[:size], KEPT.node
    root = root_of(size, node)
    assert root == naive(leaves)
    assert size or root == EMPTY
    for leaf in range(size):
        path = inclusion_path(leaf, size, node)
        assert path == naive_path(leaf, leaves)
        assert includes(leaf, LEAVES[leaf], size, path, root)
        assert not includes(leaf, LEAVES[(leaf + 1) % 64], size, path, root)
        assert not includes(leaf, LEAVES[leaf], size, [*path, root], root)
        for other in range(size):
            assert other == leaf or not includes(other, LEAVES[leaf], size, path, root) or size == 1
    for older in range(1, size + 1):
        path = consistency_path(older, size, node)
        assert path == naive_proof(older, leaves)
        first = naive(leaves[:older])
        assert consistent((older, first), (size, root), path)
        assert older == size or not consistent((older, LEAVES[-1]), (size, root), path)
        assert not consistent((older, first), (size, LEAVES[-1]), path) or older == size == 64
        assert not path or not consistent((older, first), (size, root), path[:-1])


# --- RFC 8032, RFC 8037 -------------------------------------------------------------------------------

SIGNED = [
    ("9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60",
     "d75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a", "",
     "e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46b"
     "d25bf5f0595bbe24655141438e7a100b"),
    ("4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb",
     "3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c", "72",
     "92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c"
     "387b2eaeb4302aeeb00d291612bb0c00"),
    ("c5aa8df43f9f837bedb7442f31dcb7b166d38535076f094b85ce3a2e0b4458f7",
     "fc51cd8e6218a1a38da47ed00230f0580816ed13ba3303ac5deb911548908025", "af82",
     "6291d657deec24024827e69c3abe01a30ce548a284743a445e3680d7db5ac3ac18ff9b538d16f290ae67f760984dc659"
     "4a7c15e9716ed28dc027beceea1ec40a"),
]  # fmt: skip


def key_in(path: Path, secret: bytes) -> SigningKey:
    key = Ed25519PrivateKey.from_private_bytes(secret)
    path.write_bytes(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    return SigningKey(path)


@pytest.mark.parametrize(("secret", "public", "message", "signature"), SIGNED)
def test_signatures_are_those_of_rfc_8032(
    tmp_path: Path, secret: str, public: str, message: str, signature: str
) -> None:
    key = key_in(tmp_path / "key", bytes.fromhex(secret))
    assert base64.urlsafe_b64decode(key.public["x"] + "=") == bytes.fromhex(public)
    assert key.signature(bytes.fromhex(message)) == bytes.fromhex(signature)


def test_a_key_has_the_thumbprint_of_rfc_8037(tmp_path: Path) -> None:
    key = key_in(tmp_path / "key", bytes.fromhex(SIGNED[0][0]))
    assert key.public["x"] == "11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo"
    assert key.public["kid"] == "kPrK_qmxVWaYVA9wwBF6Iuo3vVzz7TxHCTwXBygrS4k"


def test_a_signed_head_is_read_back_and_a_changed_one_refused(tmp_path: Path) -> None:
    key = SigningKey(tmp_path / "made.key")
    assert (tmp_path / "made.key").stat().st_mode & 0o777 == 0o600
    signed = key.signed({"size": 3})
    assert verified(signed, [key.public]) == {"size": 3}
    head, body, signature = signed.split(".")
    forged = base64.urlsafe_b64encode(b'{"size":4}').decode().rstrip("=")
    other = SigningKey(tmp_path / "other.key").public
    for text, keys, why in (
        (f"{head}.{forged}.{signature}", [key.public], "signature"),
        (signed, [other], "not known"),
        (signed, [{**other, "kid": key.public["kid"]}], "signature"),
        ("no.such", [key.public], "no JWS"),
        (f"{head}.{body}", [key.public], "no JWS"),
    ):
        with pytest.raises(ValueError, match=why):
            verified(text, keys)
