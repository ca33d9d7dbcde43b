# Contrasts in words.

#' @export
format.sprenn_contrasts <- function(x, ...) {
  each <- split(x$contrasts, x$contrasts$contrast)
  lines <- lapply(unname(each), function(own) {
    differences <- x$differences[x$differences$contrast == own$contrast[1], ]
    cell <- function(score) {
      at <- match(paste(own$pipeline, score), paste(differences$pipeline, differences$score))
      by <- differences[at, ]
      ifelse(
        is.na(by$difference),
        two(own[[score]]),
        paste0(two(own[[score]]), " (", with_sign(by$low), " to ", with_sign(by$high), ")")
      )
    }
    base <- differences$to[1]
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
      paste0("  ", contrast_words(differences, base)),
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
      paste(
        pipeline,
        listed(paste(ifelse(own$difference > 0, "raises", "lowers"), own$score))
      )
    },
    ""
  )
  paste0("Beyond luck, against ", base, ": ", paste(said, collapse = "; "), ".")
}

#' @export
print.sprenn_contrasts <- function(x, ...) print_lines(x)
