# All that is set in a pipeline, as results compare it.

# Pipelines with their `family` (of a sweep, the pipeline that is varied) and all that is
# set, as named values: `set`. Of a chain these are the settings of all its steps, whose rows are
# among the pipelines.
with_settings <- function(pipelines) {
  parsed <- lapply(as.list(pipelines[set_columns]), function(texts) {
    known <- unique(texts)
    lapply(known, read_json_text)[match(texts, known)]
  })
  with_sets(pipelines, parsed)
}

# The columns that say what is set, as JSON in the store.
set_columns <- c("settings", "add_ons", "gives", "varied")

# The same of pipelines for which these columns are there as lists, `parsed`.
with_sets <- function(pipelines, parsed) {
  pipelines$family <- ifelse(is.na(pipelines$sweep), pipelines$pipeline, pipelines$sweep)
  own <- lapply(seq_len(nrow(pipelines)), function(i) {
    settings_of_step(
      pipelines$engine[i],
      pipelines$checkpoint[i],
      pipelines$hold[i],
      lapply(parsed, `[[`, i)
    )
  })
  pipelines$set <- lapply(seq_len(nrow(pipelines)), function(i) {
    chain <- chain_of(pipelines, i)
    set <- if (length(chain) == 1) {
      own[[i]]
    } else {
      do.call(c, Map(
        function(step, k) prefix_names(paste0("steps.", k, "."), step),
        own[chain],
        seq_along(chain)
      ))
    }
    varied <- Filter(Negate(is.na), as.list(parsed$varied[[i]]))
    # A step that is skipped is seen by its absence.
    varied <- varied[!grepl("[.]skip$", names(varied))]
    # What is varied as a whole is not told by its parts.
    inside <- lapply(paste0(names(varied), "."), function(head) startsWith(names(set), head))
    utils::modifyList(set[!Reduce(`|`, inside, logical(length(set)))], varied)
  })
  pipelines
}

# The rows of a chain that ends in row `i`, the first step first.
chain_of <- function(pipelines, i) {
  while (!is.na(pipelines$follows[i[1]])) {
    i <- c(match(pipelines$follows[i[1]], pipelines$pipeline), i)
  }

  i
}

settings_of_step <- function(engine, checkpoint, hold, parsed) {
  set <- c(
    list(engine = engine, checkpoint = checkpoint, hold = hold),
    as.list(unlist(parsed$settings)),
    prefix_names("add_ons.", as.list(unlist(parsed$add_ons))),
    flat_gives(parsed$gives)
  )
  lapply(Filter(Negate(is.na), set), function(one) {
    number <- suppressWarnings(as.numeric(one))
    if (is.na(number)) one else number
  })
}
