"""The command line of the window and of the bench, in words."""

from __future__ import annotations

from stathmis.words.catalogue import N_, Sentence

A_HATCHING_KEEPERS_BENCH_FOR = Sentence("A hatching keeper's bench for instruments, batches and judgement.")
LOGBOOK_FILE_MADE_WHEN_IT = Sentence("logbook file; made when it does not exist")
OPEN_THE_DEMO_LOGBOOK_NOTHING = Sentence("open the demo logbook; nothing in it is kept")
PRETEND_IT_IS_THIS_TIME = Sentence("pretend it is this time, such as 2026-05-18T08:40 (UTC)")
WRITE_THE_MAIN_VIEWS_AS = Sentence("write the main views as pictures and exit")
COLORS_OTHERWISE_AS_LEFT_LAST = Sentence("colors; otherwise as left last time")
TEXT_SIZE_IS_NORMAL = Sentence("text size, 1 is normal")
SIMULATED_PROBES_THAT_SEND_LINES = Sentence("Simulated probes that send lines.")
STOP_AFTER_SO_LONG = Sentence("stop after so long")
PROBES_LINES_AND_SPEED = Sentence("probes, lines and speed are above 0")
LANGUAGE = Sentence("language of the window, such as de; otherwise as chosen in it, or as the system")
SHOW_THE_VERSION = Sentence("show the version and exit")
OF_ARGPARSE = (
    N_("usage: "),
    N_("positional arguments"),
    N_("options"),
    N_("show this help message and exit"),
    N_("%(prog)s: error: %(message)s\n"),
    N_("argument %(argument_name)s: %(message)s"),
    N_("unrecognized arguments: %s"),
    N_("the following arguments are required: %s"),
    N_("expected one argument"),
    N_("expected at least one argument"),
    N_("invalid %(type)s value: %(value)r"),
    N_("invalid choice: %(value)r (choose from %(choices)s)"),
    N_("ambiguous option: %(option)s could match %(matches)s"),
    N_("ignored explicit argument %r"),
)
"""What argparse says by itself, looked up by it (see catalogue.speak)."""
