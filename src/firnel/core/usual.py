"""What is usual where nothing is known yet: stages of a roast, and the rates at which something is wrong. One place for all."""

from __future__ import annotations

#: Drying, browning and development; common practice (drying 4 to 6.5 min, browning 3 to 4, development 1 to 2), no published
#: source. [s]
DRYING_S, BROWNING_S, DEVELOPMENT_S = 300.0, 225.0, 95.0
USUAL_STAGES = (DRYING_S, BROWNING_S, DEVELOPMENT_S)

#: Steel this near to what the plan assumes is ready; common practice, no published source. [K]
READY_C = 5.0
#: Below this the roast stalls; common practice, no published source. [degC/min]
STALL_RATE = 2.0
#: The foreseen rate falls or rises by more than this: crash or flick; common practice, no published source. [degC/min]
CRASH_FALL, FLICK_RISE = 5.0, 2.0
#: In a record: the rate leaves its own trend of the last minutes by this much. [degC/min]
DEPARTURE = 3.0
