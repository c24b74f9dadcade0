"""What a contact does beside its answer: one small file an effect, and its row in ``EFFECTS``.

The engine holds at a contact whose answer has effects; each is applied in the order in which it is written in
``EFFECTS``, and what follows at once goes on in the same tick. An effect is a function of the session, the contact
and what was planned for it; it acts through what ``contract.World`` offers.
"""
