"""Ed25519 signatures, and what a public key is known by."""

import base64

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from brookfall.core.foundation.digest import sha256


def key_id(public: str) -> str:
    """The first sixteen digits of the SHA-256 of a public key.

    >>> key_id("00" * 32)
    '66687aadf862bd77'
    """
    return sha256(bytes.fromhex(public))[:16]


def is_signed(public: str, text: str, signature: str) -> bool:
    """Whether the signature of a text is that of the private half of a public key."""
    try:
        Ed25519PublicKey.from_public_bytes(bytes.fromhex(public)).verify(base64.b64decode(signature), text.encode())
    except (InvalidSignature, ValueError):
        return False
    return True
