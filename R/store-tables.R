# The tables of a run's records, and the changes that lead from older ones to them.

# The prints by which a measured take is compared with others; see run-score.R.
prints_table <- paste0(
  "CREATE TABLE prints (take TEXT PRIMARY KEY REFERENCES takes ON DELETE CASCADE, print TEXT NOT ",
  "NULL)"
)

# Whether suite and lineup ask for a take, as they were when the run was last begun.
asked_column <- "ALTER TABLE takes ADD COLUMN asked INTEGER NOT NULL DEFAULT 1"

# What pipelines give in place of what cases have, what sweeps have varied in them, and add-ons.
given_columns <- c(
  "ALTER TABLE pipelines ADD COLUMN add_ons TEXT NOT NULL DEFAULT '{}'",
  "ALTER TABLE pipelines ADD COLUMN gives TEXT NOT NULL DEFAULT '{}'",
  "ALTER TABLE pipelines ADD COLUMN varied TEXT NOT NULL DEFAULT '{}'"
)

overlay_column <- "ALTER TABLE prints ADD COLUMN overlay TEXT"

# A choice reads a small part of all scores: an index finds it without reading the flaws that
# pictures don't have. Queries that want to use it repeat the same condition.
deciding <- "(level IS NULL OR level <> 'none')"

deciding_index <- paste(
  "CREATE INDEX scores_deciding ON scores (axis, measure) WHERE", deciding
)

# The judges' answers, by judge, version, picture (none for vectors of texts) and statement (none
# for vectors of pictures, poses and depth).
answers_table <- "CREATE TABLE answers (
  judge TEXT NOT NULL, version TEXT NOT NULL, subject TEXT NOT NULL, statement TEXT NOT NULL,
  said TEXT NOT NULL,
  PRIMARY KEY (judge, version, subject, statement))"

# People's ballots from viewings. Withdrawn ballots stay, marked as such.
ballots_table <- "CREATE TABLE ballots (
  number INTEGER NOT NULL, ballot TEXT PRIMARY KEY, person TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('pair', 'single')),
  one TEXT NOT NULL REFERENCES takes ON DELETE CASCADE,
  other TEXT REFERENCES takes ON DELETE CASCADE, choice TEXT NOT NULL,
  reasons TEXT, phrases TEXT, seconds DOUBLE PRECISION, said_at TEXT NOT NULL, repeats TEXT,
  undone INTEGER NOT NULL DEFAULT 0)"

# The lock before several processes could write: at most one. The schemas with either table.
first_with_holder <- 3L
first_with_writers <- 10L
holder_table <- "CREATE TABLE holder (
  one INTEGER PRIMARY KEY CHECK (one = 1), id TEXT NOT NULL, machine TEXT NOT NULL,
  pid INTEGER NOT NULL,
  started TEXT NOT NULL, person TEXT NOT NULL, since TEXT NOT NULL, beat INTEGER NOT NULL)"

# The processes that write to the run now: one `alone`, or several coordinators that carry the same
# work. `carries` says which, `wants` for which engines one would take more calls (both JSON),
# `stop` that it is asked to stop.
writers_table <- "CREATE TABLE writers (
  id TEXT PRIMARY KEY, machine TEXT NOT NULL, pid INTEGER NOT NULL, started TEXT NOT NULL,
  person TEXT NOT NULL, since TEXT NOT NULL, beat INTEGER NOT NULL, version TEXT NOT NULL,
  alone INTEGER NOT NULL, carries TEXT, wants TEXT, progress TEXT,
  stop INTEGER NOT NULL DEFAULT 0)"

# What is left to do in a run that several coordinators carry, and what each engine allows all of
# them together. A take that waits for its `parent` can't be made yet. A slot is a call in flight;
# a turn is one of the calls a minute, to be had again at `free_at` by the server's clock.
shared_tables <- c(
  "CREATE TABLE work (
     take TEXT PRIMARY KEY REFERENCES takes ON DELETE CASCADE,
     kind TEXT NOT NULL CHECK (kind IN ('make', 'measure')), engine TEXT NOT NULL,
     pipeline TEXT NOT NULL, position INTEGER NOT NULL, parent TEXT,
     writer TEXT REFERENCES writers ON DELETE SET NULL)",
  "CREATE INDEX work_free ON work (kind, engine, position) WHERE writer IS NULL AND parent IS NULL",
  "CREATE INDEX work_of_writer ON work (writer)",
  "CREATE INDEX work_after ON work (parent)",
  "CREATE TABLE slots (
     engine TEXT NOT NULL, slot INTEGER NOT NULL,
     writer TEXT REFERENCES writers ON DELETE SET NULL, PRIMARY KEY (engine, slot))",
  "CREATE TABLE turns (
     engine TEXT NOT NULL, turn INTEGER NOT NULL, free_at DOUBLE PRECISION NOT NULL,
     PRIMARY KEY (engine, turn))",
  "CREATE TABLE pauses (engine TEXT PRIMARY KEY, until DOUBLE PRECISION NOT NULL)"
)

store_tables <- c(
  "CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL)",
  "CREATE TABLE pipelines (
     pipeline TEXT PRIMARY KEY, position INTEGER NOT NULL, engine TEXT NOT NULL,
     engine_version TEXT NOT NULL, checkpoint TEXT NOT NULL, hold DOUBLE PRECISION,
     native_hold DOUBLE PRECISION,
     settings TEXT NOT NULL, sweep TEXT, vary TEXT, value DOUBLE PRECISION,
     follows TEXT, stage INTEGER NOT NULL DEFAULT 1, shown INTEGER NOT NULL DEFAULT 1)",
  "CREATE TABLE takes (
     take TEXT PRIMARY KEY, position INTEGER NOT NULL,
     pipeline TEXT NOT NULL REFERENCES pipelines, case_id TEXT NOT NULL, seed INTEGER NOT NULL,
     state TEXT NOT NULL CHECK (state IN ('planned', 'made', 'failed', 'refused')),
     file TEXT, sha256 TEXT, width INTEGER, height INTEGER, bytes INTEGER,
     seconds DOUBLE PRECISION, cost DOUBLE PRECISION, failure TEXT, message TEXT, request TEXT,
     answer TEXT, made_at TEXT,
     attempt INTEGER NOT NULL DEFAULT 1, control TEXT, parent TEXT,
     first_call INTEGER NOT NULL DEFAULT 0)",
  "CREATE TABLE scores (
     take TEXT NOT NULL REFERENCES takes ON DELETE CASCADE, axis TEXT NOT NULL,
     measure TEXT NOT NULL,
     phrase TEXT, value DOUBLE PRECISION, raw DOUBLE PRECISION, level TEXT, place TEXT)",
  "CREATE INDEX scores_by_take ON scores (take)",
  deciding_index,
  prints_table,
  overlay_column,
  writers_table,
  answers_table,
  ballots_table,
  asked_column,
  given_columns,
  shared_tables
)

# Migrations: for each older schema, by its number, the changes that lead to the next one.
store_changes <- list(
  "ALTER TABLE takes ADD COLUMN attempt INTEGER NOT NULL DEFAULT 1",
  c(
    "ALTER TABLE takes ADD COLUMN control TEXT",
    "ALTER TABLE takes ADD COLUMN parent TEXT",
    "ALTER TABLE takes ADD COLUMN first_call INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE pipelines ADD COLUMN follows TEXT",
    "ALTER TABLE pipelines ADD COLUMN stage INTEGER NOT NULL DEFAULT 1",
    "ALTER TABLE pipelines ADD COLUMN shown INTEGER NOT NULL DEFAULT 1",
    holder_table
  ),
  prints_table,
  deciding_index,
  c(answers_table, ballots_table),
  overlay_column,
  asked_column,
  given_columns,
  c("DROP TABLE holder", writers_table, shared_tables)
)
