"""Moments as IMAP writes them (RFC 9051, section 9: date-time)."""

import time
from email.utils import mktime_tz, parsedate_tz

__all__ = ["moment_of", "written"]

_MONTHS = b"Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split()


def moment_of(text: bytes | None) -> float | None:
    """Seconds since 1970; None where nothing, or no moment, is written."""
    parsed = parsedate_tz(text.decode("ascii", "replace").replace("-", " ", 2)) if text else None
    return None if parsed is None else float(mktime_tz(parsed))


def written(moment: float) -> bytes:
    """Seconds since 1970 as a quoted date-time, in UTC."""
    at = time.gmtime(moment)
    day = b'"%02d-%s-%04d' % (at.tm_mday, _MONTHS[at.tm_mon - 1], at.tm_year)
    return day + b' %02d:%02d:%02d +0000"' % (at.tm_hour, at.tm_min, at.tm_sec)
