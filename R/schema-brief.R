# The fields of brief.yml, without its judges.

brief_fields <- function() {
  rows <- rbind(
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "brief",
      "text",
      "yes",
      "What the choice is for, in words.",
      "job",
      choice_of(jobs),
      "no",
      "The job it applies to; all cases if left out.",
      "measures",
      "path",
      "no",
      paste0(
        "An R file with measures of your own; its last value is a measure_function(), or a list ",
        "of them."
      )
    ),
    judge_fields(),
    purpose_fields(""),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "purposes",
      "record",
      "no",
      "A purpose for each of several jobs, in place of one for all."
    ),
    do.call(
      rbind,
      lapply(jobs, function(job) {
        rbind(
          new_table(
            place = paste0("purposes.", job),
            type = "record",
            needed = "no",
            doc = paste0("What counts in `", job, "`.")
          ),
          purpose_fields(paste0("purposes.", job, "."), needed = "yes")
        )
      })
    ),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "limits",
      "record",
      "no",
      "What a run may use without `--yes`.",
      "limits.takes",
      "integer 0..100000000",
      "no",
      "How many takes; 5000 if left out.",
      "limits.cost",
      "number 0..1000000000",
      "no",
      "How much money; 50 if left out.",
      "limits.hours",
      "number 0..100000",
      "no",
      "How long; 24 if left out.",
      "limits.gigabytes",
      "number 0..1000000",
      "no",
      "How much disk; 20 if left out.",
      "confidence",
      "number 0.5..0.999",
      "no",
      "How sure a decision has to be; 0.9 if left out.",
      "close_enough",
      "number 0..0.5",
      "no",
      "How far below the best, in worth, a pipeline may be and still do; 0 if left out.",
      "prefer",
      choice_of(preferences),
      "no",
      paste0(
        "Of the pipelines that are close enough, which one: the better, the cheaper or the ",
        "faster per keeper; the better if left out."
      ),
      "draws",
      "integer 200..100000",
      "no",
      "The number of draws from the posterior; 2000 if left out.",
      "seed",
      "integer 0..2147483647",
      "no",
      "The seed of these draws; 1 if left out."
    )
  )
  rows
}

purpose_fields <- function(place, needed = "no") {
  rows <- rbind(
    new_table(
      place = "weights",
      type = "record",
      needed = needed,
      doc = "How much each axis counts; they are divided by their sum."
    ),
    new_table(
      place = paste0("weights.", axes),
      type = "number 0..100",
      needed = "no",
      doc = paste0("The weight of ", axes, "; 0 if left out.")
    ),
    new_table(
      place = "floors",
      type = "record",
      needed = "no",
      doc = "What a take must reach on an axis to be usable."
    ),
    new_table(
      place = paste0("floors.", axes),
      type = "number 0..1",
      needed = "no",
      doc = paste0("The floor of ", axes, ".")
    ),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "structure_from",
      "map",
      "no",
      paste0(
        "The measures that make up structure, by their weights; the usual weighting of `sprenn ",
        "measure` if left out (in `repair` and `edit` with a third for the likeness of faces if a ",
        "judge of the kind local or finding tells of them)."
      ),
      "structure_from.*",
      "number 0..100",
      "no",
      "One measure's weight.",
      "style",
      "choice reach the look|stay or record",
      "no",
      "The goal for style; reach the look if left out.",
      "style.change",
      "range",
      "yes",
      "The style change wanted, [from, to], where 1 is as far as two looks are apart."
    )
  )
  rows$place <- paste0(place, rows$place)
  rows
}
