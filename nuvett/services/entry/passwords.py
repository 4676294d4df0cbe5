"""The password that a copy beyond its own machine asks for."""

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError


def hash_password(password: str) -> str:
    """Argon2id hash of a password (RFC 9106), as NUVETT_PASSWORD holds it."""
    return PasswordHasher().hash(password)


def is_password(password: str, hashed: str) -> bool:
    """Whether a password is the one that was hashed."""
    try:
        return PasswordHasher().verify(hashed, password)
    except (VerificationError, InvalidHashError):
        return False
