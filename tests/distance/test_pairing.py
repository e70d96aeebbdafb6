"""Codes and identities: what is typed is what was shown, a slip is caught, and a word is good for its own computer."""

import asyncio
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.distance.identity import BadIdentity, Identity, KnownComputer, KnownComputers, place_of
from yarddial.distance.knocking import pair_with
from yarddial.distance.pairing_code import SIGNS, BadPairingCode, PairingCode, new_code, read_code


@given(st.integers(0, 2**80 - 1), st.integers(0, 2**35 - 1))
def test_a_code_is_read_as_it_was_shown_however_it_is_typed(print_bits: int, secret: int) -> None:
    code = PairingCode(print_bits, secret)
    for typed in (code.text, code.text.lower(), code.text.replace("-", " "), code.text.replace("0", "o")):
        assert read_code(typed) == code


@given(st.integers(0, 2**80 - 1), st.integers(0, 2**35 - 1), st.integers(0, 23), st.sampled_from(SIGNS))
def test_a_slip_of_one_sign_is_nearly_always_caught(print_bits: int, secret: int, place: int, sign: str) -> None:
    plain = PairingCode(print_bits, secret).text.replace("-", "")
    slipped = plain[:place] + sign + plain[place + 1 :]
    try:
        # One in 32 passes the check; then the secret or the certificate does not fit.
        assert slipped == plain or read_code(slipped) != PairingCode(print_bits, secret)
    except BadPairingCode as error:
        assert "\n" not in str(error)


@given(st.text(max_size=30))
def test_what_is_no_code_is_said(text: str) -> None:
    try:
        read_code(text)
    except BadPairingCode as error:
        assert "\n" not in str(error)


def test_who_is_paired_comes_with_a_word_and_is_revoked_at_once(tmp_path: Path) -> None:
    identity = Identity(tmp_path / "id")
    word = identity.pair("desk", "control")
    other = identity.pair("couch", "listen")
    found = identity.who_comes_with(word)
    assert found is not None
    assert (found.name, found.role) == ("desk", "control")
    assert identity.who_comes_with(word + "x") is None
    assert word not in (tmp_path / "id" / "paired.json").read_text(), "the word itself is kept nowhere"
    assert identity.revoke("desk")
    assert identity.who_comes_with(word) is None
    assert identity.who_comes_with(other) is not None
    assert not identity.revoke("desk")
    for path in (tmp_path / "id").iterdir():
        assert path.stat().st_mode & 0o077 == 0
    # It stays who it is.
    assert Identity(tmp_path / "id").certificate == identity.certificate
    assert new_code(identity.certificate).fits(identity.certificate)
    assert not new_code(identity.certificate).fits(Identity(tmp_path / "id2").certificate)


def test_a_known_computer_is_its_certificate_and_no_name_means_two(tmp_path: Path) -> None:
    known = KnownComputers(tmp_path / "deep" / "known.json")
    assert known.all() == ()
    first, other = "ab" * 32, "cd" * 32
    known.add(KnownComputer("shed", "shed.local", 47110, first, "w"))
    with pytest.raises(BadIdentity, match=r"another computer is known as shed \(abab-abab-abab, at shed.local\)"):
        known.add(KnownComputer("shed", "10.0.0.3", 47110, other, "v"))
    known.add(KnownComputer("barn", "10.0.0.3", 47110, other, "v"))
    # Paired anew, under another name and at another address: the same computer.
    known.add(KnownComputer("attic", "10.0.0.9", 47110, first, "x"))
    assert [(one.name, one.host) for one in known.all()] == [("barn", "10.0.0.3"), ("attic", "10.0.0.9")]
    # An address carries the certificate: it means this computer whatever it is called.
    assert known.at(f"shed@{first[:16]}") == known.named("attic")
    assert known.at(f"barn@{'ef' * 8}") is None
    assert known.at("barn") == known.named("barn")
    assert place_of(known.all()[0]) == f"barn@{other[:16]}"
    known.forget("barn")
    assert known.named("barn") is None
    (tmp_path / "deep" / "known.json").write_bytes(b"{")
    with pytest.raises(BadIdentity, match="cannot be read"):
        known.all()


def test_serving_from_the_command_line_is_told_in_one_line_and_ends_in_good_order(tmp_path: Path) -> None:
    """`serve --listen HOST:PORT --pair --json`: address, fingerprint, code; whoever pairs meets just that computer."""
    homes = {f"XDG_{kind}_HOME": str(tmp_path / kind.lower()) for kind in ("DATA", "STATE", "CONFIG")}
    words = [sys.executable, "-m", "yarddial", "serve", "--listen", "127.0.0.1:0", "--pair", "--json"]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=os.environ | homes) as serving:
        assert serving.stdout is not None
        told = json.loads(serving.stdout.readline())
        host, _, port = told["address"].rpartition(":")
        known = asyncio.run(pair_with(host, int(port), told["code"], "desk", "shed"))
        assert known.fingerprint == told["fingerprint"]
        again = [*words[:4], "--listen", told["address"]]
        taken = subprocess.run(again, capture_output=True, text=True, env=os.environ | homes, check=False)
        assert taken.returncode == 2
        assert taken.stdout == ""
        assert taken.stderr.count("\n") == 1
        serving.terminate()
        assert serving.wait(20) == 0
        assert serving.stdout.read() == ""
