# Words that several reports share.

#' @export
print.sprenn_table <- function(x, ...) {
  print(tibble::as_tibble(as.data.frame(x)), ...)
  invisible(x)
}

# Weights, floors and what style should do.
brief_words <- function(brief) {
  floors <- brief$floors[!is.na(brief$floors)]
  weights <- brief$weights[brief$weights > 0]
  aim <- if (is.numeric(brief$style)) {
    paste0("change by ", two(brief$style[1]), " to ", two(brief$style[2]))
  } else {
    brief$style
  }
  paste0(
    "Weights: ",
    paste(names(weights), two(weights), collapse = ", "),
    ". Floors: ",
    if (length(floors)) paste(names(floors), two(floors), collapse = ", ") else "none",
    ". Style should: ", aim, ".",
    structure_words(brief$structure_from)
  )
}

# What makes up structure, if not the usual measure alone.
structure_words <- function(parts) {
  if (all(names(parts) == "structure")) {
    return("")
  }

  paste0(
    " Structure is made up of ",
    paste(percent(parts / sum(parts)), names(parts), collapse = ", "),
    " (structure_from)."
  )
}

# How much of the prompts has evidence, where adherence counts.
adherence_words <- function(verdict) {
  said <- verdict$state != "nothing made" && isTRUE(verdict$coverage > 0)
  if (!said || verdict$brief$weights[["adherence"]] == 0) {
    return(NULL)
  }

  partly <- "adherence" %in% names(verdict$unchecked)
  adherence <- if (partly) "Elsewhere adherence" else "Adherence"
  if (verdict$coverage > nearly_all) {
    return(paste(adherence, "rests on evidence for all that the prompts ask."))
  }

  paste0(
    adherence, " rests on evidence for ", percent(verdict$coverage),
    " of the prompts' weight; the rest has none and is not guessed."
  )
}

# The pictures that a verdict applies to.
pictures_words <- function(pictures) {
  of_cases <- if (pictures$cases == 1) {
    "that of this one case"
  } else {
    paste("those of these", pictures$cases, "cases")
  }
  few_looks <- pictures$looks > 0 && pictures$looks < fewest_looks
  shared <- c(
    if (pictures$references %in% seq_len(pictures$cases - 1)) {
      count_words(pictures$references, "reference")
    },
    if (!few_looks && pictures$looks %in% seq_len(pictures$cases - 1)) {
      count_words(pictures$looks, "look")
    }
  )
  paste0(
    of_cases,
    if (length(shared)) paste0(" (", shorten_list(shared), ")"),
    if (few_looks) {
      paste0(
        ", in ",
        if (pictures$looks == 1) "this look" else paste("these", pictures$looks, "looks")
      )
    }
  )
}

# The pipeline as lines of a lineup.yml, to use it tomorrow.
recipe_words <- function(verdict) {
  if (verdict$state %in% leaderless) {
    return(character())
  }

  recipes <- verdict$recipes
  chain <- chain_of(recipes, match(verdict$best, recipes$pipeline))
  steps <- lapply(chain, function(i) written_step(recipes[i, ]))
  id <- list(id = gsub("[^A-Za-z0-9_-]+", "-", verdict$best))
  yaml_block(list(c(id, if (length(steps) == 1) steps[[1]] else list(steps = steps))), "")
}

# A recorded step as lineup.yml has it.
written_step <- function(step) {
  read <- function(json) clean_said(jsonlite::parse_json(json))
  step <- c(
    list(
      engine = step$engine,
      checkpoint = step$checkpoint,
      hold = if (!is.na(step$hold)) as.numeric(format(step$hold, digits = 6)),
      settings = read(step$settings),
      add_ons = read(step$add_ons)
    ),
    read(step$gives)
  )
  Filter(length, step)
}

# From one case nobody can tell how far a mean may be off.
with_interval <- function(mean, low, high, number = two) {
  ifelse(
    is.na(mean),
    "-",
    paste0(
      number(mean),
      ifelse(is.na(low), "", paste0(" (", number(low), " to ", number(high), ")"))
    )
  )
}

signed <- function(x) formatC(x, format = "f", digits = 3, flag = "+")

# Columns of text: words to the left, numbers to the right.
text_table <- function(columns) {
  cells <- Map(
    function(name, values) {
      numbers <- all(grepl("^([<>]?[-0-9].*|)$", values))
      formatC(
        c(name, values),
        width = max(nchar(c(name, values))),
        flag = if (numbers) "" else "-"
      )
    },
    names(columns),
    columns
  )
  sub(" +$", "", do.call(paste, c(unname(cells), sep = "  ")))
}

# Draws can't show that something never happens.
# A chance that is not enough, and may round to what would be.
words_below <- function(chance, wanted) {
  words <- chance_words(chance)
  ifelse(words == percent(wanted), paste("just under", words), words)
}

# Settings, add-ons and what is given in place of what cases have, in one line.
settings_words <- function(step) {
  own <- lapply(step[c("settings", "add_ons", "gives")], function(json) {
    if (json != "{}") substr(json, 2, nchar(json) - 1)
  })
  said <- gsub("\"", "", listed(unlist(own)))
  if (nzchar(said)) said else "-"
}
