# A run follows its trial: what suite and lineup ask for may change between two calls.

# Brings the records to the suite and the lineup as they are now, which may ask for other takes
# than before: `asked`. What was made and is still asked for is kept, under its pipeline and case
# of today; scores stay as far as what they were measured by is the same. The end is the same as if
# the run had been made of this suite from the start.
bring_to_suite <- function(store, trial, asked) {
  suite <- trial$suite
  facts <- get_facts(store)
  source <- source_of_suite(suite)
  move_takes(store, asked)
  if (identical(facts$suite_source, source)) {
    return(invisible())
  }

  content <- suite_content(suite)
  by <- measured_by(suite, content)
  if (!is.null(facts$suite_content) && content != facts$suite_content) {
    before <- if (!is.null(facts$measured_by)) unlist(read_json_text(facts$measured_by))
    same <- (by == before[names(by)]) %in% TRUE
    forget_cases(store, names(by)[!same])
    write_db(store, "DELETE FROM facts WHERE name = 'race'")
  }

  set_facts(
    store,
    suite_fingerprint = sha256_of(content),
    suite_content = content,
    suite_source = source,
    measured_by = to_json(as.list(by))
  )
}

# Marks which recorded takes are asked for, and as what. Where that has changed, comparisons with
# other takes are made anew.
move_takes <- function(store, asked) {
  known <- read_db(store, "SELECT take, pipeline, case_id, asked FROM takes")
  at <- match(known$take, asked$take)
  is_asked <- !is.na(at)
  now <- new_table(
    pipeline = ifelse(is_asked, asked$pipeline[at], known$pipeline),
    case = ifelse(is_asked, asked$case[at], known$case_id)
  )
  differs <- known$pipeline != now$pipeline |
    known$case_id != now$case |
    known$asked != is_asked
  if (!any(differs)) {
    return(invisible())
  }

  write_db(
    store,
    "UPDATE takes SET pipeline = ?, case_id = ?, asked = ? WHERE take = ?",
    params = list(
      now$pipeline[differs],
      now$case[differs],
      as.integer(is_asked[differs]),
      known$take[differs]
    )
  )
  touched <- known$pipeline %in% c(known$pipeline[differs], now$pipeline[differs]) |
    now$pipeline %in% c(known$pipeline[differs], now$pipeline[differs]) |
    now$case %in% c(known$case_id[differs], now$case[differs])
  forget_across(store, known$take[touched])
}

forget_across <- function(store, takes) {
  measures <- vapply(across_measures(), `[[`, "", "measure")
  write_db(
    store,
    "DELETE FROM scores WHERE take = ? AND measure = ?",
    params = list(rep(takes, each = length(measures)), rep(measures, length(takes)))
  )
}

# The scores of all takes of some cases.
forget_cases <- function(store, cases) {
  takes <- read_db(store, "SELECT take, case_id FROM takes")
  own <- takes$take[takes$case_id %in% cases]
  if (length(own)) {
    forget_scores(store, own)
  }
}

# What has changed of the suite since the run was last begun, as places; none if nothing has.
changes_of_suite <- function(store, trial) {
  facts <- get_facts(store)
  if (is.null(facts$suite_content) || identical(facts$suite_source, source_of_suite(trial$suite))) {
    return(character())
  }

  content <- suite_content(trial$suite)
  if (content == facts$suite_content) character() else parts_changed(facts$suite_content, content)
}

# How many pictures of a run nothing asks for any more.
count_left_over <- function(store) {
  read_db(store, "SELECT COUNT(*) AS n FROM takes WHERE asked = 0 AND state = 'made'")$n
}
