#' @rdname standin_yarrow
#' @export
standin_teasel <- function() {
  engine(
    about = list(
      name = "teasel",
      version = "1",
      checkpoints = list(comb = list()),
      hold = c(at_0 = 100, at_1 = 0),
      takes = c("mask", "negative"),
      emphasis = "none",
      repeatable = TRUE,
      price = 0,
      seconds = 0.2
    ),
    make = function(request) take_result(teasel_picture(request), cost = 0)
  )
}

# A refiner: a little change sharpens what is there, much of it makes things up.
teasel_picture <- function(request) {
  change <- request$native_hold / 100
  start <- resample_picture(request[["reference"]], request$size[2], request$size[1])
  picture <- draw_sum(list(start, soften(start, 2.5), soften(start, 10)), c(2.55, -1.3, -0.25))
  if (change > 0.25) {
    request$mask <- NULL
    invented <- paint_take(
      request,
      1.1 * (change - 0.25),
      pull = 0.6,
      "gouache",
      read_palette(list(start)),
      strength = 0.15
    )
    share <- clamp((change - 0.25) * 3)
    picture <- draw_mix(picture, invented, rep(share, length(picture) / 3))
  }

  inside_mask(
    picture,
    resample_picture(request[["reference"]], request$size[2], request$size[1]),
    request$mask
  )
}

# teasel as a program: `Rscript teasel.R make FOLDER`.
run_teasel <- function(words, faults = "", count = counter()) {
  if (length(words) != 2 || words[1] != "make") {
    message("teasel: wants `make FOLDER`")
    return(14L)
  }

  folder <- words[2]
  parts <- list(request = readBin(file.path(folder, "request.json"), "raw", 1e6))
  for (file in list.files(folder, "\\.png$")) {
    parts[[sub("\\.png$", "", file)]] <- readBin(
      file.path(folder, file),
      "raw",
      file.size(file.path(folder, file))
    )
  }

  statuses <- c(
    refused = 10L,
    out_of_credit = 11L,
    busy = 12L,
    unreachable = 13L,
    bad_request = 14L
  )
  engine <- with_faults(standin_teasel(), faults, count = count)
  tryCatch(
    {
      made <- engine$make(request_from_wire(engine, parts))
      writeBin(
        if (is.raw(made$picture)) made$picture else png::writePNG(made$picture),
        file.path(folder, "picture.png")
      )
      writeLines(
        jsonlite::toJSON(list(cost = 0, says = list(combed = TRUE)), auto_unbox = TRUE),
        file.path(folder, "result.json")
      )
      0L
    },
    sprenn_failure = function(e) {
      message(conditionMessage(e))
      if (!is.null(e$retry_after)) {
        writeLines(
          jsonlite::toJSON(list(retry_after = e$retry_after), auto_unbox = TRUE),
          file.path(folder, "result.json")
        )
      }

      statuses[[e$kind]]
    },
    error = function(e) {
      message(conditionMessage(e))
      1L
    }
  )
}
