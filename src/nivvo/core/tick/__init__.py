"""One tick over a whole pool, and many in a row; it can be left in the middle of a tick and entered again.

First every projectile looks for what comes next on its way: a contact, a limit, or the tick's end. Then contacts are
answered one by one, and who flies on looks again. The order, kept here and nowhere else:

1. time; at one time what players do, then what triggers do, then contacts;
2. at one time contacts by the shot's key, then the body's key;
3. within a contact: what becomes of the projectile, damage, death; then what is decided outside: at once (HOLD), or,
   where nothing that flies hangs on it before the next tick, for all contacts of a tick at its end, or before one that
   takes health from a body to which some of it is to come (OWES).

At once: health, deaths, ends, births. From the next edge: pushes on bodies and blinks, so that contacts that were
found stay true. So the outcome never depends on the order of rows in the pool or of tables in a file.

advance    the loop: from tick to tick, from contact to contact
answer     what follows a contact
"""

from nivvo.core.tick.advance import advance

__all__ = ["advance"]
