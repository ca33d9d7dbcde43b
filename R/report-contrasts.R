# Contrasts in words.

#' @export
format.sprenn_contrasts <- function(x, ...) {
  each <- split(x$contrasts, x$contrasts$contrast)
  lines <- lapply(unname(each), function(own) {
    differences <- x$differences[x$differences$contrast == own$contrast[1], ]
    base <- differences$to[1]
    own <- own[order(own$pipeline != base), ]
    cell <- function(score) {
      at <- match(paste(own$pipeline, score), paste(differences$pipeline, differences$score))
      by <- differences[at, ]
      ifelse(
        is.na(by$difference),
        two(own[[score]]),
        paste0(two(own[[score]]), " (", with_sign(by$low), " to ", with_sign(by$high), ")")
      )
    }
    c(
      paste0(own$vary[1], ", all else equal (in brackets: difference to ", base, ", 90 %)"),
      paste0("  ", text_table(list(
        value = ifelse(nzchar(own$value), own$value, "not set"),
        pipeline = own$pipeline,
        structure = cell("structure"),
        adherence = cell("adherence"),
        style = cell("style"),
        worth = cell("worth"),
        keepers = percent(own$keepers)
      ))),
      strwrap(contrast_words(differences, base), width = 100, initial = "  ", prefix = "    "),
      ""
    )
  })
  unlist(lines)
}

with_sign <- function(x) formatC(x, format = "f", digits = 2, flag = "+")

# What surely differs: whose interval leaves 0 out.
contrast_words <- function(differences, base) {
  sure <- differences[!is.na(differences$low) & differences$score != "worth", ]
  sure <- sure[sure$low > 0 | sure$high < 0, ]
  if (nrow(sure) == 0) {
    return("No axis differs beyond luck.")
  }

  said <- vapply(
    unique(sure$pipeline),
    function(pipeline) {
      own <- sure[sure$pipeline == pipeline, ]
      moves <- split(own$score, factor(ifelse(own$difference > 0, "raises", "lowers")))
      paste(pipeline, listed(paste(rev(names(moves)), vapply(rev(moves), shorten_list, ""))))
    },
    ""
  )
  paste0("Beyond luck, against ", base, ": ", paste(said, collapse = "; "), ".")
}

# The report's part; NULL if there is nothing to tell.
contrasts_part <- function(verdict) {
  found <- if_there(contrasts_of(verdict, most = told_contrasts))
  if (is.null(found) || nrow(found$differences) == 0) {
    return(NULL)
  }

  tag <- htmltools::tags
  each <- split(found$differences, found$differences$contrast)
  vary <- found$contrasts$vary[match(names(each), found$contrasts$contrast)]
  htmltools::tagList(
    tag$h3("One thing at a time"),
    tag$ul(
      Map(
        function(own, path) {
          tag$li(paste0(path, ": ", contrast_words(own, own$to[1])))
        },
        unname(each),
        vary
      )
    ),
    figure_tag(
      untitled(draw_contrasts(found)),
      "How far pipelines that differ in one thing are from each other",
      height = height_of_contrasts(found)
    )
  )
}

# More would be a wall; `sprenn contrasts` lists them all.
told_contrasts <- 12

# In pixels: a line for each pipeline, and one above each contrast.
height_of_contrasts <- function(found) 150 + 30 * nrow(found$contrasts)

#' @export
print.sprenn_contrasts <- function(x, ...) print_lines(x)
