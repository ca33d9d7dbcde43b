# A run as tables that people and other programs read: the views of its database
# and what export writes are the same.

# One row a take, with every measure in a column of its own. A measure that looked at
# several phrases is there with their mean; scores has each by itself.
overview_columns <- function(own = no_own_measures) {
  known <- list_measures()
  rbind(
    table_by_row(
      ~column,
      ~from,
      ~type,
      ~doc,
      "take",
      "t.take",
      "string",
      "The take's id, made from all that determines the picture.",
      "pipeline",
      "t.pipeline",
      "string",
      "The pipeline, or the step of a chain.",
      "engine",
      "p.engine",
      "string",
      "Its engine.",
      "checkpoint",
      "p.checkpoint",
      "string",
      "Its checkpoint.",
      "hold",
      "p.hold",
      "double",
      "How firmly the reference is held: 0 lets go, 1 keeps.",
      "stage",
      "p.stage",
      "integer",
      "Which step of its chain; 1 for a plain pipeline.",
      "case",
      "t.case_id",
      "string",
      "The case.",
      "seed",
      "t.seed",
      "integer",
      "The seed.",
      "control",
      "t.control",
      "string",
      "Which control it is; empty for a take proper.",
      "parent",
      "t.parent",
      "string",
      "The take that it works on, in a chain.",
      "state",
      "t.state",
      "string",
      "planned, made, failed or refused.",
      "failure",
      "t.failure",
      "string",
      "The kind of failure.",
      "message",
      "t.message",
      "string",
      "What the engine said of it.",
      "seconds",
      "t.seconds",
      "double",
      "How long the call took, in seconds.",
      "cost",
      "t.cost",
      "double",
      "What it cost, in the lineup's money.",
      "width",
      "t.width",
      "integer",
      "The picture's width in pixels.",
      "height",
      "t.height",
      "integer",
      "The picture's height in pixels.",
      "sha256",
      "t.sha256",
      "string",
      "SHA-256 of the picture as the engine sent it.",
      "made_at",
      "t.made_at",
      "dateTime",
      "When it was made, UTC."
    ),
    new_table(
      column = known$measure,
      from = paste0("s.", known$measure),
      type = "double",
      doc = paste0("The measure ", known$measure, " (", known$axis, "), ", known$range, ".")
    ),
    new_table(
      column = own$column,
      from = paste0("s.", sql_name(own$column), recycle0 = TRUE),
      type = rep("double", nrow(own)),
      doc = paste0("The measure ", own$measure, " (", own$axis, ") of this trial.", recycle0 = TRUE)
    )
  )
}

# Measures of a trial's own and judges, which a run may have scores of: `measure`, `axis`, and the
# `column` that each is in.
no_own_measures <- data.frame(measure = character(), axis = character(), column = character())

own_measures_in <- function(store) {
  scored <- read_db(store, "SELECT DISTINCT measure, axis FROM scores ORDER BY measure, axis")
  own <- scored[!scored$measure %in% list_measures()$measure & !duplicated(scored$measure), ]
  taken <- own$measure %in% overview_columns()$column
  own$column <- ifelse(taken, paste0("measure_", own$measure), own$measure)
  own
}

# A name, or a text, as SQL quotes it.
sql_name <- function(name) paste0("\"", gsub("\"", "\"\"", name), "\"", recycle0 = TRUE)
sql_text <- function(text) paste0("'", gsub("'", "''", text), "'", recycle0 = TRUE)

scores_columns <- function() {
  table_by_row(
    ~column,
    ~from,
    ~type,
    ~doc,
    "take",
    "s.take",
    "string",
    "The take's id.",
    "pipeline",
    "t.pipeline",
    "string",
    "Its pipeline.",
    "case",
    "t.case_id",
    "string",
    "Its case.",
    "seed",
    "t.seed",
    "integer",
    "Its seed.",
    "axis",
    "s.axis",
    "string",
    "structure, adherence, style or flaws.",
    "measure",
    "s.measure",
    "string",
    "The measure.",
    "phrase",
    "s.phrase",
    "string",
    "The phrase of the prompt that was checked.",
    "value",
    "s.value",
    "double",
    "The value, on the measure's scale.",
    "raw",
    "s.raw",
    "double",
    "The raw number before rescaling.",
    "level",
    "s.level",
    "string",
    "Of a flaw: none, slight or serious.",
    "place",
    "s.place",
    "string",
    "Where in the picture."
  )
}

pipelines_columns <- function() {
  table_by_row(
    ~column,
    ~from,
    ~type,
    ~doc,
    "pipeline",
    "pipeline",
    "string",
    "The pipeline, or the step of a chain (NAME:1).",
    "engine",
    "engine",
    "string",
    "Its engine, as the lineup names it.",
    "engine_version",
    "engine_version",
    "string",
    "The version that the engine stated.",
    "checkpoint",
    "checkpoint",
    "string",
    "Its checkpoint.",
    "hold",
    "hold",
    "double",
    "How firmly the reference is held: 0 lets go, 1 keeps.",
    "native_hold",
    "native_hold",
    "double",
    "The same on the engine's own knob.",
    "settings",
    "settings",
    "string",
    "Its other settings, as JSON.",
    "add_ons",
    "add_ons",
    "string",
    "The weights of its add-ons, as JSON.",
    "gives",
    "gives",
    "string",
    "What it gives the engine in place of what a case has, as JSON.",
    "sweep",
    "sweep",
    "string",
    "The pipeline that it was varied from.",
    "vary",
    "vary",
    "string",
    "What was varied.",
    "value",
    "value",
    "double",
    "The value that was varied, if it is a number.",
    "varied",
    "varied",
    "string",
    "All values that were varied, by their paths, as JSON.",
    "follows",
    "follows",
    "string",
    "The step that it works on, in a chain.",
    "stage",
    "stage",
    "integer",
    "Which step of its chain; 1 for a plain pipeline."
  )
}

ballots_columns <- function() {
  table_by_row(
    ~column,
    ~from,
    ~type,
    ~doc,
    "ballot",
    "ballot",
    "string",
    "The ballot's id.",
    "person",
    "person",
    "string",
    "Who said it.",
    "kind",
    "kind",
    "string",
    "pair or single.",
    "one",
    "one",
    "string",
    "The take that was shown, of a pair the left one.",
    "other",
    "other",
    "string",
    "Of a pair the right one.",
    "choice",
    "choice",
    "string",
    "one, other or neither of a pair; keep or reject.",
    "reasons",
    "reasons",
    "string",
    "Why it was rejected.",
    "phrases",
    "phrases",
    "string",
    "What was said of phrases, as JSON: yes or no by phrase.",
    "seconds",
    "seconds",
    "double",
    "How long they looked.",
    "said_at",
    "said_at",
    "dateTime",
    "When, UTC.",
    "repeats",
    "repeats",
    "string",
    "The ballot whose pair it asked again.",
    "undone",
    "undone",
    "integer",
    "1 if it was taken back."
  )
}

exported_tables <- c("takes", "scores", "pipelines", "ballots")

exported_columns <- function(name, own = no_own_measures) {
  switch(name,
    takes = overview_columns(own),
    scores = scores_columns(),
    pipelines = pipelines_columns(),
    ballots = ballots_columns()
  )
}

table_query <- function(name, own = no_own_measures) {
  columns <- exported_columns(name, own)
  select <- paste(
    "SELECT",
    paste0(columns$from, " AS ", sql_name(columns$column), collapse = ", ")
  )
  known <- list_measures()$measure
  pivot <- paste0(
    "AVG(CASE WHEN measure = ", sql_text(c(known, own$measure)), " THEN value END) AS ",
    sql_name(c(known, own$column)),
    collapse = ", "
  )
  paste(
    select,
    switch(name,
      takes = paste0(
        "FROM takes t JOIN pipelines p ON p.pipeline = t.pipeline LEFT JOIN (SELECT take, ",
        pivot, " FROM scores GROUP BY take) s ON s.take = t.take ",
        "WHERE t.asked = 1 ORDER BY t.position"
      ),
      scores = paste0(
        "FROM scores s JOIN takes t ON t.take = s.take WHERE t.asked = 1 ORDER BY ",
        "t.position, s.measure, s.phrase"
      ),
      pipelines = "FROM pipelines ORDER BY position",
      ballots = "FROM ballots ORDER BY number"
    )
  )
}

# The views of whoever opens the database by other means; made anew with every plan,
# as the measures may have changed.
view_statements <- function() {
  c(
    "DROP VIEW IF EXISTS overview",
    "DROP VIEW IF EXISTS all_scores",
    paste("CREATE VIEW overview AS", table_query("takes")),
    paste("CREATE VIEW all_scores AS", table_query("scores"))
  )
}

# A table as it is exported, with its columns' types.
read_exported <- function(store, name) {
  own <- own_measures_in(store)
  columns <- exported_columns(name, own)
  table <- read_db(store, table_query(name, own))
  # A column of NA has lost its type.
  as <- list(
    string = as.character,
    double = as.numeric,
    integer = as.integer,
    dateTime = as.character
  )
  for (i in seq_len(nrow(columns))) {
    table[[i]] <- as[[columns$type[i]]](table[[i]])
  }

  as_table(table)
}
