#' @rdname standin_yarrow
#' @export
standin_sorrel <- function() {
  seen <- new.env()
  engine(
    about = list(
      name = "sorrel",
      version = "1",
      checkpoints = list(dock = list(multiple_of = 16)),
      hold = c(at_0 = -1, at_1 = 1),
      takes = c("look", "text_alone", "depth"),
      emphasis = "none",
      repeatable = TRUE,
      price = 0.004,
      seconds = 0.3
    ),
    make = function(request) {
      if (any(grepl("\\bsmoke\\b", request$prompt$say))) {
        engine_failure("refused", "The content filter does not let smoke through.")
      }

      made <- take_result(sorrel_picture(request, seen), cost = 0.004)
      # Once in a while the file breaks off.
      seen$calls <- (seen$calls %||% 0) + 1
      if (seen$calls %% 50 == 13) {
        spoil(made, "truncated", NULL)
      } else {
        made
      }
    }
  )
}

# Gives way early, then holds on to what is left; depth holds it best.
sorrel_picture <- function(request, seen) {
  kept <- (request$native_hold + 1) / 2
  style <- manner_of(request, own = "blueprint", seen)
  paint_take(
    request,
    change = 0.75 * (1 - kept^0.45) + 0.05,
    pull = 0.8,
    style$manner,
    style$palette,
    strength = 0.75
  )
}
