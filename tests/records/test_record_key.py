"""The key of the record: in a file of its owner's alone, and never written over."""

from pathlib import Path

import pytest
from click.testing import CliRunner
from cryptography.hazmat.primitives.asymmetric.rsa import generate_private_key
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from brookfall.cli import main
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.signature import is_signed, key_id
from brookfall.records.record_key import make_key, read_key


def test_a_key_signs_and_is_read_again(tmp_path: Path) -> None:
    file = tmp_path / "record.key"
    made = make_key(file)
    assert file.stat().st_mode & 0o777 == 0o600
    read = read_key(file)
    assert (read.id, read.public) == (made.id, made.public)
    assert read.id == key_id(made.public)
    signature = made.sign("what is said")
    assert is_signed(made.public, "what is said", signature)
    assert not is_signed(made.public, "what is not said", signature)
    assert not is_signed(make_key(tmp_path / "other.key").public, "what is said", signature)
    assert not is_signed(made.public, "what is said", "no Base64 at all")
    assert not is_signed("00", "what is said", signature)


def test_a_signature_is_that_of_the_standard() -> None:
    """RFC 8032, section 7.1, test 1: the empty text."""
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    from brookfall.records.record_key import RecordKey

    secret = "9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60"
    public = "d75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a"
    signature = (
        "e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24"
        "655141438e7a100b"
    )
    import base64

    key = RecordKey(Ed25519PrivateKey.from_private_bytes(bytes.fromhex(secret)))
    assert key.public == public
    assert base64.b64decode(key.sign("")).hex() == signature


def test_a_key_is_never_written_over(tmp_path: Path) -> None:
    file = tmp_path / "record.key"
    first = CliRunner().invoke(main, ["record", "new-key", str(file)])
    assert first.exit_code == 0, first.output
    kept = file.read_bytes()
    again = CliRunner().invoke(main, ["record", "new-key", str(file)])
    assert again.exit_code == 2
    assert "is there already" in again.output
    assert file.read_bytes() == kept


def others_may_read(file: Path) -> None:
    make_key(file)
    file.chmod(0o640)


def no_key(file: Path) -> None:
    file.write_text("no key at all")
    file.chmod(0o600)


def another_kind(file: Path) -> None:
    key = generate_private_key(public_exponent=65537, key_size=2048)
    file.write_bytes(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    file.chmod(0o600)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda file: None, "is not there"),
        (others_may_read, "Others may read the record's key"),
        (no_key, "can't be read"),
        (another_kind, "is no Ed25519 key"),
    ],
    ids=["missing", "open to others", "no key", "another kind"],
)
def test_what_is_no_sound_key_is_said(tmp_path: Path, spoil: object, words: str) -> None:
    file = tmp_path / "record.key"
    assert callable(spoil)
    spoil(file)
    with pytest.raises(UserError, match=words):
        read_key(file)
    assert len(list(tmp_path.iterdir())) == (0 if words == "is not there" else 1), "nothing is made in its place"
