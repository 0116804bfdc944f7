"""What is asked at each of the five steps of the beginning, and the answers."""

from firnel.core.words import later, tr

ASKED = {
    "machine": (
        (
            tr("Which load?"),
            tr("What it roasts well, not what its maker states: usually about three quarters of that."),
        ),
        (
            tr("Several machines?"),
            tr("Begin with the one that roasts most. Others are added under Machines."),
        ),
        (
            tr("Which readings?"),
            tr("What its bean probe usually shows at both marks, within a few degrees: the first plan goes by them."),
        ),
        (
            tr("Will it be driven?"),
            tr("No. Firnel reads and advises; no burner, fan or drum is ever set from here."),
        ),
    ),
    "link": (
        (
            tr("Which host and port?"),
            tr(
                "In the network settings of the panel that shows the readings; most answer at port 502. Which number is "
                "which reading, the register map says."
            ),
        ),
        (
            tr("Only a thermometer?"),
            tr("Choose the serial thermometer and its port. Gas and air are then told by keys, as they are moved."),
        ),
        (
            tr("No cable yet?"),
            tr("By hand begins at once: type a reading every half minute, more often around first crack."),
        ),
        (
            tr("No machine at hand?"),
            tr("The simulated one roasts like any other, and nothing gets hot."),
        ),
    ),
    "logs": (
        (
            tr("What can be read?"),
            tr(
                "Tables with a time and a bean temperature, a batch or a whole day in each. With the moves of gas and air"
                " beside them they teach most."
            ),
        ),
        (
            tr("What else helps?"),
            tr("A table that tells load, lot and roasted weight of each log may lie in the same folder."),
        ),
        (
            tr("What is it worth?"),
            tr(
                "After four batches first crack is known to about ten seconds a minute and a half ahead; before any, to "
                "half a minute or more."
            ),
        ),
    ),
    "coffee": (
        (
            tr("What is it for?"),
            tr("Each lot cracks at its own temperature. Firnel learns it from every batch of the lot."),
        ),
        (
            tr("Density and moisture?"),
            tr("They tell a new lot's first crack better before it is ever roasted. Firnel does without, too."),
        ),
        (
            tr("A blend?"),
            tr("Write down its first part; blends are put together under Day."),
        ),
    ),
    "batch": (
        (
            tr("Which keys?"),
            later(
                "{mark} marks what is due: charge, yellow, first crack, drop. {undo} takes the last one back, {weigh} weighs, "
                "{keys} tells all."
            ),
        ),
        (
            tr("A mark was missed?"),
            tr("Press its key late. The mark can be moved by seconds at once, and corrected under Review."),
        ),
        (
            tr("Before the charge?"),
            tr("Look at the drum, the chaff collector and the way to the door; have the cooling tray empty."),
        ),
    ),
}
