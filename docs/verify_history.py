"""Checks a history of Fenland's without Fenland: Python's standard library, and `cryptography` for signatures.

    python verify_history.py export HISTORY.jsonl [--head HEADS.jsonl]
    python verify_history.py evidence FILE.evidence.json [--head HEADS.jsonl]
    python verify_history.py archive history-1-1000.jsonl

Ends with 0 where all is well, with 1 where something is not, and says what. verifying.md describes the formats.
"""

import argparse
import base64
import hashlib
import json
import sys

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

FAULTS = []


def fault(words):
    FAULTS.append(words)


def canonical(value):
    """RFC 8785, for what leaves hold: objects, lists, texts, true, false, null and whole numbers.

    Names sort by UTF-16 code units (section 3.2.3); the module json writes the rest as the RFC asks.
    """
    if isinstance(value, dict):
        names = sorted(value, key=lambda name: name.encode("utf-16-be"))
        return "{" + ",".join(f"{canonical(name)}:{canonical(value[name])}" for name in names) + "}"
    if isinstance(value, list):
        return "[" + ",".join(map(canonical, value)) + "]"
    return json.dumps(value, ensure_ascii=False)


def leaf_hash(leaf):
    """RFC 9162 section 2.1.1."""
    return hashlib.sha256(b"\0" + canonical(leaf).encode()).digest()


def node_hash(left, right):
    return hashlib.sha256(b"\1" + left + right).digest()


class Tree:
    """The tree of leaves that come one by one: the roots of its perfect subtrees, largest first."""

    def __init__(self, size=0, peaks=()):
        self.size, self.peaks = size, list(peaks)

    def append(self, leaf):
        found, place = leaf, self.size
        while place & 1:
            found, place = node_hash(self.peaks.pop(), found), place >> 1
        self.peaks.append(found)
        self.size += 1

    def root(self):
        if not self.peaks:
            return hashlib.sha256(b"").digest()
        found = self.peaks[-1]
        for peak in reversed(self.peaks[:-1]):
            found = node_hash(peak, found)
        return found


def includes(leaf, hashed, size, path, root):
    """RFC 9162 section 2.1.3.2; a leaf counts from 0."""
    if not 0 <= leaf < size:
        return False
    place, last, found = leaf, size - 1, hashed
    for step in path:
        if last == 0:
            return False
        if place & 1 or place == last:
            found = node_hash(step, found)
            while place and not place & 1:
                place, last = place >> 1, last >> 1
        else:
            found = node_hash(found, step)
        place, last = place >> 1, last >> 1
    return last == 0 and found == root


def consistent(older, newer, path):
    """RFC 9162 section 2.1.4.2: whether the tree of `newer` begins with `older`, each a size and a root."""
    (first, first_root), (second, second_root) = older, newer
    if first == second:
        return not path and first_root == second_root
    if not 0 < first < second:
        return False
    steps = list(path)
    if first & (first - 1) == 0:
        steps.insert(0, first_root)
    if not steps:
        return False
    place, last = first - 1, second - 1
    while place & 1:
        place, last = place >> 1, last >> 1
    one = other = steps[0]
    for step in steps[1:]:
        if last == 0:
            return False
        if place & 1 or place == last:
            one, other = node_hash(step, one), node_hash(step, other)
            while place and not place & 1:
                place, last = place >> 1, last >> 1
        else:
            other = node_hash(other, step)
        place, last = place >> 1, last >> 1
    return last == 0 and one == first_root and other == second_root


def decoded(text):
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))


def head_of(told, keys):
    """What a signed head says (RFC 7515, RFC 8037), or None where it is not signed by one of the keys."""
    header, body, signature = told["signed"].split(".")
    named = json.loads(decoded(header))
    key = next((one for one in keys if one["kid"] == named["kid"]), None)
    if named.get("alg") != "EdDSA" or key is None:
        fault(f"The head of {told['size']} entries is signed by a key that is not known.")
        return None
    try:
        public = Ed25519PublicKey.from_public_bytes(decoded(key["x"]))
        public.verify(decoded(signature), f"{header}.{body}".encode())
    except InvalidSignature:
        fault(f"The head of {told['size']} entries is forged: its signature is wrong.")
        return None
    return json.loads(decoded(body))


def heads_in(path):
    with open(path, encoding="utf-8") as file:
        lines = [json.loads(line) for line in file if line.strip()]
    return [head for one in lines if (head := head_of(one, one.get("keys", []))) is not None]


def check_entry(entry):
    """One line of an export, or one entry of an evidence file; gives the hash of its leaf."""
    sequence, leaf = entry["sequence"], entry["leaf"]
    # Of an entry older than salts there is no hash for whoever may not see all of it.
    hashed = None if entry["leaf_hash"] is None else bytes.fromhex(entry["leaf_hash"])
    if leaf is None:
        return sequence, hashed
    if leaf_hash(leaf) != hashed or leaf["sequence"] != sequence:
        fault(f"Entry {sequence} is not what its hash says: it was changed.")
    for name, sides in entry.get("opened", {}).items():
        for commitment, one in zip(leaf["sealed"][name], sides):
            if one is None:
                continue
            salted = bytes.fromhex(one["salt"]) + canonical(one["value"]).encode()
            if hashlib.sha256(salted).hexdigest() != commitment:
                fault(f"The value of {name} in entry {sequence}, or its salt, is not what was entered.")
    return sequence, hashed


def check_export(path, heads):
    tree, roots = Tree(), {}
    wanted = {head["size"] for head in heads}
    with open(path, encoding="utf-8") as file:
        for line in file:
            sequence, hashed = check_entry(json.loads(line))
            if sequence != tree.size + 1:
                fault(f"Entries {tree.size + 1} to {sequence - 1} are not in the export.")
                return tree.size
            if hashed is None:
                fault(f"Entry {sequence} has no hash here, so that no head can be checked. Ask an auditor.")
                return tree.size
            tree.append(hashed)
            if tree.size in wanted:
                roots[tree.size] = tree.root().hex()
    for head in heads:
        if head["size"] > tree.size:
            fault(f"The head of {head['size']} entries is of more than there are: the last were cut off.")
        elif roots[head["size"]] != head["root"]:
            fault(f"The head of {head['size']} entries has another root than the entries.")
    return tree.size


def check_evidence(path, heads):
    with open(path, encoding="utf-8") as file:
        found = json.load(file)
    head = head_of(found["head"], found["keys"]["keys"])
    if head is None:
        return 0
    if heads and all(one["size"] != head["size"] for one in heads):
        fault(
            f"No head that was kept elsewhere is of {head['size']} entries: ask for evidence under one that is."
        )
    if any(one["size"] == head["size"] and one["root"] != head["root"] for one in heads):
        fault(f"The head of {head['size']} entries is another than the one that was kept elsewhere.")
    begins = None
    for place, entry in enumerate(found["entries"]):
        sequence, hashed = check_entry(entry)
        leaf = entry["leaf"]
        if leaf is not None:
            begins = leaf["version"] - place if begins is None else begins
            if leaf["id"] != found["id"]:
                fault(f"Entry {sequence} is of another record.")
            elif leaf["version"] != begins + place:
                fault(f"Entry {sequence} does not follow the one before it: entries were left out.")
                begins = leaf["version"] - place
        steps = [bytes.fromhex(step) for step in entry["path"]]
        if hashed is None or not includes(
            sequence - 1, hashed, head["size"], steps, bytes.fromhex(head["root"])
        ):
            fault(f"Entry {sequence} is not in the tree of the head.")
    return len(found["entries"])


def check_archive(path, heads):
    with open(path, encoding="utf-8") as file:
        about = json.loads(next(file))
        tree = Tree(about["first"] - 1, [bytes.fromhex(one) for one in about["peaks"]])
        for line in file:
            sequence, hashed = check_entry(json.loads(line))
            if sequence != tree.size + 1:
                fault(f"Entries {tree.size + 1} to {sequence - 1} are not in the archive.")
                return 0
            tree.append(hashed)
    if tree.size != about["last"] or tree.root().hex() != about["root"]:
        fault("The archive is not whole.")
    head = head_of(about["head"], about["keys"]["keys"])
    steps = [bytes.fromhex(one) for one in about["consistency"]]
    if head is not None:
        newer = (head["size"], bytes.fromhex(head["root"]))
        if not consistent((tree.size, tree.root()), newer, steps):
            fault("The archive is not the beginning of what its head is of.")
    # Whoever makes an archive anew can sign it with a key of their own: a head from elsewhere tells.
    for one in heads:
        if head is not None and one["size"] == head["size"] and one["root"] != head["root"]:
            fault(f"The head of {head['size']} entries is another than the one that was kept elsewhere.")
    return tree.size - about["first"] + 1


def main():
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("kind", choices=("export", "evidence", "archive"))
    parser.add_argument("file")
    parser.add_argument("--head", help="heads that were kept elsewhere, one JSON object a line")
    asked = parser.parse_args()
    try:
        heads = heads_in(asked.head) if asked.head else []
        checks = {"export": check_export, "evidence": check_evidence, "archive": check_archive}
        count = checks[asked.kind](asked.file, heads)
    except (OSError, ValueError, LookupError, TypeError, AttributeError) as error:
        sys.exit(f"{asked.file} cannot be read as {asked.kind}: {error}")
    for words in FAULTS:
        print(words)
    print(f"{count} entries, {'no faults' if not FAULTS else f'{len(FAULTS)} faults'}.")
    sys.exit(1 if FAULTS else 0)


if __name__ == "__main__":
    main()
