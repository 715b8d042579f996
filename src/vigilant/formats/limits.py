"""What is accepted at most: one table for files, plans and the API (docs/operating.md lists it).

Characters are Unicode code points. A limit that is met is refused with the number met and the
number allowed; nothing is cut short silently but what a subject printed.
"""

from __future__ import annotations

# -- texts, in characters
NAME = 100  # a column, a leg, a part, a figure, a figure of the whole run
LABEL = 160  # a scenario, an arm, a build
FILE_NAME = 255
ALIAS = 80  # a rig, a recorder standing by, a subject, a token
GROUP = 160  # a group of people elsewhere
SUBJECT = 255  # the key that a provider of accounts knows somebody by
CODE = 40  # of a second factor
PASSWORD = 128
TITLE = 200
ENTRY_LABEL = 40  # that entries are filed under
CLAIM = 200  # read of a sentence that is held against data
EXPECTED = 500
REASON = 4000  # why an entry, a decision, a moved goal
DETAIL = 2000  # how an attempt ended, why a recorder refused
OUTPUT_TAIL = 4096  # the end of what a subject printed
KEY = 100  # a key of a sheet, and of any JSON object
VALUE = 1000  # a value of a sheet of conditions or of a rig's facts
PATTERN = 1000  # of the lines of a file
ARGUMENT = 4000  # any other text of a plan: a part of a command, a path

# -- lists
SHEET_KEYS = 200
ARGUMENTS = 1000  # parts of a command, and any other list of a plan
HUNT_BUILDS = 2048  # builds that a hunt goes over
ORDERED_BUILDS = 10_000  # that have a place in the order of a book
BUILDS_AT_ONCE = 5_000  # ordered by one request
GROUP_ROLES = 200  # groups that have a role in one book
RULES = 2_000  # of thumb, of one book
SLOTS = 20_000  # attempts of a recording
ARM_RUNS = 200  # runs of one arm
SUBJECTS = 200  # named by a recorder standing by
LANES = 64
COUNTERS = 64
MARKS = 10_000  # a run
FIGURES = 1_000  # figure lines a run
ITEMS = 5_000  # kinds of an inventory
WEIGHTS = 20  # units that a piece of a kind may be weighed in
PARTS = 4_096  # named parts a run
PART_ROWS = 5_000_000  # parts a frame, of a run; further ones count in the totals alone
FRAMES = 50_000_000  # a run
BATCH_LINES = 50_000
FILES = 400  # brought in at a time, an archive's among them
STILLS = 200  # a run
MASKS = 50  # of one still of a scenario
ENTRY_LABELS = 20  # of one entry
REFERENCES = 50  # of one entry to others
ALLOWANCES = 5_000  # of one scenario, those that were changed among them
TOTALS = 100  # of one book's inventories
INVENTORIES = 2_000  # of one book
LAPS = 200_000  # of one file of laps
LAP_PROCESSES = 100  # of one version of a routine
RESERVED_TIMES = 100  # of one rig, that are not over
RESERVED_DAYS = 14  # in one piece
RESERVED_AHEAD = 400  # days
LAP_SHEETS = 2_000  # of one book
COUNTER_LIMITS = 2_000  # of one scenario, those that were changed among them
IDEAS = 2_000  # of the backlog of one book
STATEMENT_ENTRIES = 100  # of one statement
BUNDLE_FRAMES = 5_000_000  # of the runs in one bundle
FRAMES_AT_ONCE = 20_000_000  # read for one answer
FIELD_PLACES = 64  # that a session in the field names, and tiers
FIELD_CELLS = 64  # places at a tier, of one session
FIELD_LABELS = 6  # of one session, and of all sessions of a build
FIELD_SETS = 256  # labels that seconds have, by place and tier
FIELD_BURSTS = 64  # places by minutes since the start
FIELD_FIGURES = 16  # of a whole session
FIELD_BUILDS = 2_000  # that sessions of one book name; further ones are counted as one
FIELD_CLASSES = 200
FIELD_MODELS = 50_000
FIELD_NAMES = 500  # places of a book's sessions, tiers, and labels of all builds
FIELD_SESSIONS_A_DAY = 1_000_000  # new ones, of one book
OTHER_STREAMS = 2_000  # of histograms by OTLP, of one book
OTHER_BUCKETS = 1_000  # of one such histogram
FIELD_RULES = 200  # that sort devices into classes

# -- sizes, in bytes
LINE_BYTES = 64 * 1024
BATCH_BYTES = 8 * 1024 * 1024  # as sent and as decoded
BODY_BYTES = 4 * 1024 * 1024  # any other request
PIECE_BYTES = 4 * 1024 * 1024  # of a file that is brought in
INVENTORY_BYTES = 2 * 1024 * 1024  # an inventory's file
LAP_BYTES = 1024 * 1024  # a file of laps that is kept in a book
STILL_BYTES = 8 * 1024 * 1024
FILE_BYTES = 2 * 1024**3  # brought in, as it is and unpacked
PLAN_BYTES = 256 * 1024
REPORT_BYTES = 256 * 1024
FIELD_BYTES = 32 * 1024  # one session in the field; our senders open nothing new beyond 12 KiB

# -- numbers
STILL_PIXELS = 40_000_000  # of one still, as it is unpacked
JSON_DEPTH = 32
FRAME_MS = 1e9  # one frame or lane: eleven days
COUNT = 1e18  # one value of a counter or of a figure, either sign
SECONDS = 1e6
