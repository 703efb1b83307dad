"""The lockdown list, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

ALL_SURFACES_WARM_WATER_BRING = Sentence("All surfaces, warm water; bring it to {wanted} in steps, an hour apart.")
CANDLE_FOR_THE_LAST_TIME = Sentence("Candle for the last time")
CLEARS_DEAD_AND_ROTTEN_EGGS = Sentence("Clears, dead and rotten eggs out; what is doubtful stays.")
CHICKS_ARE_CRUSHED_BY_IT = Sentence("Chicks are crushed by it.")
BARE_PLASTIC_GIVES_SPLAYED_LEGS = Sentence("Bare plastic gives splayed legs.")
EGGS_DOWN_ON_THEIR_SIDE = Sentence("Eggs down on their side")
ROOM_BETWEEN_THEM_BLUNT_ENDS = Sentence("Room between them; blunt ends a little up.")
SHUT_AND_LEAVE_IT_SHUT = Sentence("Shut, and leave it shut")
OPENING_DRIES_PIPPED_EGGS = Sentence("Opening dries pipped eggs.")
SEE_THE_HUMIDITY_SETTLE = Sentence("See the humidity settle")
WANTED_AN_HOUR_AFTER_THE = Sentence("{wanted} an hour after the last step, no chasing. {ahead}")
BROODER_READY_AND_WARM = Sentence("Brooder ready and warm")
THE_LID_IS_OPEN_ALREADY = Refusal("The lid is open already.", "Shut it first.")
THE_LID_IS_NOT_OPEN = Refusal("The lid is not open.", "Open it first.")
TEXT_SHUT_IT_SOON_THE = Sentence("{text}: shut it soon, the eggs cool.")
WAS_DUE_BEFORE = Sentence("{text}; {title} was due at {target_min:.0f} min.")
