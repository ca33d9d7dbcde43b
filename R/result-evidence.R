#' List the evidence for what was asked
#'
#' Adherence is based on probes, judges and viewings. This lists for every phrase which sources
#' judged it, how far they agree, and which phrases have no evidence and so do not count.
#'
#' @inheritParams run_trial
#' @return An object of class `sprenn_evidence`, a list: `phrases` (a data frame with a row for each
#'   phrase of each case: `case`, `phrase`, `weight`, `sources`, `takes`, `covered`, `value`,
#'   `apart`, `conflict`), `pipelines` (`pipeline`, `coverage`, `adherence`, means over its
#'   takes), `agreement` (a row for each two sources and kind of phrase, `all` first: `both`, on how
#'   many answers both judged; `agreement`, the rank correlation of what they said; `opposed`, the
#'   share on which one said yes and the other no), `beliefs` (a row for each judge and statement:
#'   `absent`, whether what it speaks of is to be absent; `asked` and `unasked`, on how many
#'   pictures it was and was not asked for; `level` and `chance`, how far that is there in these on
#'   average; `p`, how likely a judge that tells nothing would tell them apart as well;
#'   `believed`), `shown` (a row for each judge that finds things, statement and pipeline: `wanted`
#'   and `elsewhere`, how far what is looked for is there on average in takes of cases that want it
#'   and in all others, or under the name of a score against the reference its mean), `judges`
#'   (their latest results) and `coverage`, over all.
#' @family measures and evidence
#' @export
#' @examples
#' folder <- file.path(tempdir(), "evidence-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' list_evidence(trial)
#' unlink(folder, recursive = TRUE)
list_evidence <- function(trial, run = "main") {
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  takes <- read_takes(store, deciding_columns)
  takes <- takes[is.na(takes$control) & takes$pipeline %in% trial$lineup$pipelines$pipeline, ]
  scores <- as_table(read_adherence_scores(store))
  scores <- scores[scores$take %in% takes$take, ]
  phrases <- suite_phrases(trial$suite)
  facts <- get_facts(store)
  each <- adherence_of(takes, phrase_evidence(takes, scores, phrases), phrases)
  made <- takes$state == "made" & takes$case %in% phrases$case
  mean_of <- function(x) {
    as.vector(
      tapply(x[made], takes$pipeline[made], mean, na.rm = TRUE)[unique(takes$pipeline[made])]
    )
  }

  structure(
    list(
      phrases = evidence_table(takes, scores, phrases),
      pipelines = new_table(
        pipeline = unique(takes$pipeline[made]),
        coverage = mean_of(each$coverage),
        adherence = mean_of(each$adherence)
      ),
      agreement = agreement_by_kind(scores, trial$suite),
      beliefs = read_told(facts$beliefs, belief_columns),
      shown = read_told(facts$shown, shown_columns),
      judges = clean_said(jsonlite::fromJSON(facts$judges %||% "[]")),
      coverage = mean(each$coverage[made])
    ),
    class = "sprenn_evidence"
  )
}

# The agreement of sources over all phrases, and over those of each kind.
agreement_by_kind <- function(scores, suite) {
  phrases <- unlist(lapply(suite$cases, asked_phrases), recursive = FALSE)
  keys <- vapply(phrases, `[[`, "", "key")
  kinds <- vapply(phrases[!duplicated(keys)], kind_of_phrase, "")
  kind <- kinds[match(scores$phrase, unique(keys))]
  of_kind <- function(name, rows) {
    found <- source_agreement(rows)
    cbind(new_table(kind = rep(name, nrow(found))), found)
  }
  each <- lapply(sort(unique(kinds)), function(name) of_kind(name, scores[kind %in% name, ]))
  found <- do.call(rbind, c(list(of_kind("all", scores)), each))
  # Both sources together, over all first.
  pair <- paste(found$one, found$other)
  as_table(found[order(match(pair, unique(pair))), ])
}

belief_columns <- c(
  "judge", "statement", "absent", "asked", "unasked", "level", "chance", "p", "believed"
)
shown_columns <- c("judge", "statement", "pipeline", "wanted", "elsewhere")

# A table that a run keeps of what its judges said; `told` may be NULL.
read_told <- function(told, columns) {
  found <- if (!is.null(told)) jsonlite::fromJSON(told)
  if (!is.data.frame(found)) {
    return(as_table(stats::setNames(rep(list(logical()), length(columns)), columns)))
  }

  lacking <- setdiff(columns, names(found))
  found[lacking] <- rep(NA, nrow(found))
  as_table(found[columns])
}

#' Effect of each input
#'
#' From a run's control takes: how far a take moves when its prompt, reference, look or guide is
#' removed or swapped, where 1 is the effect of another seed. Near 0 the input is ignored,
#' whatever the picture looks like. It also shows which inputs conflict, for example if the prompt
#' is followed better without the look. `controls` in lineup.yml says which controls are made.
#'
#' @inheritParams run_trial
#' @return An object of class `sprenn_influence`, a list of two data frames. `inputs` has a row for
#'   each pipeline and input: `pipeline`, `input`, `pairs` (how many controls), `moved` (their
#'   median; 1 is another seed), `low` and `high` (the smallest and the largest), `influence`
#'   (`ignored` below 0.15, `weak` below 0.5, `clear` below 1.5, `dominant`, or two of these if
#'   the interval covers both; `can't tell`, and `moved` NA, if an engine that does not repeat a
#'   seed has no `repeat` controls, or too few of them, or if another seed moves nothing; `why`
#'   says which). `conflicts` has a row for each pipeline and two inputs: without the one
#'   (`without`) the other's axis (`input`, `axis`: the prompt's is adherence, the reference's
#'   structure, the look's style) changes by `change`, with its 90 % interval; `effect` is
#'   `conflicts` if it gains, `supports` if it loses, and `can't tell` if the interval contains 0
#'   or the change is below 0.02.
#' @section Errors: `sprenn_error_run` if the run has no control takes.
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "influence-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$lineup$controls <- "blank_prompt"
#' trial$suite$seeds <- c(11L, 23L)
#' run_trial(trial)
#' measure_influence(trial)
#' unlink(folder, recursive = TRUE)
measure_influence <- function(trial, run = "main") {
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  rows <- read_printed_takes(store)
  rows <- rows[rows$pipeline %in% trial$lineup$pipelines$pipeline, ]
  if (all(is.na(rows$control))) {
    stop_sprenn(
      "run",
      c(
        paste0("Run ", quoted(run), " has no control takes that were made and measured."),
        i = paste0(
          "Name some in lineup.yml, such as controls: [swapped_prompt, no_look], and go on with ",
          "`sprenn run`."
        )
      )
    )
  }

  takes <- new_table(
    take = rows$take,
    pipeline = rows$pipeline,
    case = rows$case_id,
    seed = rows$seed,
    control = as.character(rows$control)
  )
  structure(
    list(
      inputs = influence_table(takes, read_prints(rows$print), unsure_pipelines(trial$lineup)),
      conflicts = conflicts_in(store, trial)
    ),
    class = "sprenn_influence"
  )
}

# Pipelines with a step on an engine that does not repeat a seed.
unsure_pipelines <- function(lineup) {
  unsure <- names(Filter(function(engine) !engine$about$repeatable, lineup$engines))
  steps <- all_steps(lineup)
  found <- steps$pipeline[steps$engine %in% unsure]
  while (length(more <- setdiff(steps$pipeline[steps$follows %in% found], found))) {
    found <- c(found, more)
  }

  found
}

# Over all jobs: style is a matter of the look only where the brief wants to reach it.
conflicts_in <- function(store, trial) {
  tables <- lapply(brief_jobs(trial$brief), function(job) {
    brief <- brief_for(trial$brief, if (!is.na(job)) job)
    table <- axes_of(
      store,
      trial,
      brief,
      takes_for(store, trial, brief, trial$lineup$pipelines$pipeline, controls = TRUE)
    )
    if (!identical(brief$style, "reach the look")) {
      table$style <- rep(NA_real_, nrow(table))
    }

    table
  })
  input_conflicts(do.call(rbind, tables))
}
