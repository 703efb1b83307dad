"""Opening, making and editing a logbook: what is in the way, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

LABEL_CHANGED_SOMETHING_THIS_STATHMIS = Refusal(
    "“{label}” changed something this Stathmis does not know; nothing was changed.", "Update Stathmis."
)
LABEL_CANNOT_BE_TAKEN_BACK = Refusal(
    "“{label}” cannot be taken back or done again: what it changed was changed since by another "
    "program. Nothing was changed.",
    "Mend it by hand; What was changed shows how it stood.",
)
THE_LOGBOOK_IS_CLOSED = Sentence("The logbook is closed.")
THIS_LOGBOOK_IS_READ_ONLY = Refusal(
    "This logbook is read-only; nothing was logged.", "Make the file writable, then reopen."
)
THE_DISK_IS_FULL_NOTHING = Sentence("The disk is full; nothing was logged.")
FREE_SOME_SPACE_AND_LOG = Sentence("Free some space and log it again.")
PATH_CANNOT_BE_WRITTEN_NOTHING = Sentence("{path} cannot be written; nothing was logged.")
CHECK_THE_FILES_PERMISSIONS = Sentence("Check the file's permissions.")
OPEN_THE_NEWEST_FILE_IN = Sentence("Open the newest file in its backups folder instead.")
ANOTHER_PROGRAM_HOLDS_THE_LOGBOOK = Sentence("Another program holds the logbook; nothing was logged.")
CLOSE_IT_AND_TRY_AGAIN = Sentence("Close it and try again.")
THERE_IS_ALREADY_A_FILE = Refusal("There is already a file named {path}.", "Choose another name, or open that one.")
A_LOGBOOK_CANNOT_BE_MADE = Refusal("A logbook cannot be made at {path}.", "Choose a folder you may write to.")
PATH_WAS_WRITTEN_BY_AN = Refusal(
    "{path} was written by an older Stathmis and is read-only, so it cannot be brought up to date.",
    "Make a copy you may write to, and open that.",
)
THERE_IS_NO_FILE_AT = Refusal("There is no file at {path}.", "Check the name.")
PATH_CANNOT_BE_READ_STRERROR = Refusal("{path} cannot be read: {strerror}.", "Check its permissions.")
PATH_IS_NOT_A_STATHMIS = Refusal("{path} is not a Stathmis logbook.", "Choose your own logbook, or a backup of it.")
PATH_WAS_WRITTEN_BY_A = Refusal(
    "{path} was written by a newer Stathmis (file version {version}, this one knows {schema_version}). "
    "It was not touched.",
    "Update Stathmis, or open an older backup.",
)
PATH_IS_DAMAGED_OR_WAS = Refusal(
    "{path} is damaged or was never finished.", "Open the newest file in its backups folder instead."
)
PATH_IS_FROM_AN_OLDER = Refusal(
    "{path} is from an older Stathmis and could not be brought up to date. It was left as it was.",
    "Check the space left on the disk, or open the newest file in its backups folder.",
)
PATH_IS_DAMAGED = Refusal("{path} is damaged.", "Open the newest file in its backups folder instead.")
PATH_IS_ALREADY_OPEN_IN = Refusal("{path} is already open in another window.", "Use that one, or close it first.")
THERE_IS_ALREADY_A_FILE_NAMED = Refusal("There is already a file named {path}.", "Choose another name.")
THE_ARCHIVES_TABLES_DO_NOT = Refusal("The archive's tables do not fit together.", "Ask for it to be written again.")
