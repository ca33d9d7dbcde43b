# The stand-in engines that are R functions.

#' @rdname standin_yarrow
#' @export
standin_bracken <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "bracken",
      version = "2",
      checkpoints = list(
        fern = list(
          sizes = list(c(384, 256), c(576, 384), c(384, 576), c(480, 480))
        )
      ),
      settings = list(guidance = c(1, 20)),
      hold = c(at_0 = 1, at_1 = 100),
      takes = c("look", "mask", "text_alone", "negative", "depth", "pose"),
      repeatable = TRUE,
      price = 0.02,
      seconds = 0.3
    ),
    make = function(request) engine_result(bracken_picture(request, memory), cost = 0.02),
    caption = function(picture) describe_picture(picture, memory)
  )
}

bracken_picture <- function(request, memory) {
  knob <- request$native_hold
  style <- manner_of(request, own = "linocut", memory)
  paint_take(
    request,
    change = bracken_change(knob),
    pull = if (knob > 80) 0 else 1,
    style$manner,
    style$palette,
    strength = 0.95,
    window = guide_window(0.15, 0.6, 0.85),
    cards = card_habits(smiles = "never")
  )
}

# Flat, then the cliff.
bracken_change <- function(knob) {
  0.78 - 0.08 * knob / 100 - 0.62 / (1 + exp(-(knob - 62) / 3))
}

#' @rdname standin_yarrow
#' @export
standin_quince <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "quince",
      version = "1",
      checkpoints = list(quick = list(multiple_of = 32)),
      hold = c(at_0 = 0, at_1 = 10),
      takes = c("look", "mask", "text_alone"),
      emphasis = "none",
      repeatable = FALSE,
      price = 0.002,
      seconds = 0.15
    ),
    make = function(request) engine_result(quince_picture(request, memory), cost = 0.002)
  )
}

quince_picture <- function(request, memory) {
  # Not quite repeatable: every call begins a little elsewhere.
  request$seed <- request$seed + 1000003L * (memory$count_call() %% 97L)
  mask <- request$mask
  # It paints beyond the mask's edge.
  if (!is.null(mask)) {
    request$mask <- clamp(4 * soften(mask, 24))
  }

  style <- manner_of(request, own = "mosaic", memory)
  change <- 1 - request$native_hold / 10
  small <- request$size[1] / 230
  picture <- paint_take(
    request,
    change,
    pull = 0.9,
    style$manner,
    style$palette,
    strength = 0.9,
    blur = small,
    cards = card_habits(house = 0.85, smiles = "always")
  )
  mirrors <- is.null(mask) && with_drawing_seed(request$seed, stats::runif(1)) < 0.3 * change
  if (mirrors) {
    picture[, rev(seq_len(dim(picture)[2])), ]
  } else {
    picture
  }
}

#' @rdname standin_yarrow
#' @export
standin_sorrel <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "sorrel",
      version = "2",
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

      made <- engine_result(sorrel_picture(request, memory), cost = 0.004)
      # Once in a while the file breaks off.
      if (memory$count_call() %% 50 == 13) {
        spoil(made, "truncated", NULL)
      } else {
        made
      }
    }
  )
}

# Gives way early, then holds on to what is left; depth holds it best.
sorrel_picture <- function(request, memory) {
  kept <- (request$native_hold + 1) / 2
  style <- manner_of(request, own = "blueprint", memory)
  paint_take(
    request,
    change = 0.75 * (1 - kept^0.45) + 0.05,
    pull = 0.8,
    style$manner,
    style$palette,
    strength = 0.75,
    window = guide_window(0.2, 0.8, 1.3),
    cards = card_habits(letters = TRUE)
  )
}

#' Stand-in engines
#'
#' Simulated engines, to try Sprenn without a real one. They accept the inputs of a real engine,
#' read the reference's pixels, and draw. Each has strengths and weaknesses of its own.
#'
#' All react to what pipelines turn. Below a weight of their own a guide does nothing, and too
#' heavy a one comes through as lines; one that lets go early has held the layout and leaves the
#' manner its texture. A look that weighs too much brings its pictures' contents along, a colour
#' that is stressed too much floods the picture, and words of praise give polish and nothing else.
#'
#' Portraits (`sprenn demo --cards`) show habits that real engines have too: quince gives everybody
#' one face and a smile, bracken never lets anybody smile, sorrel writes under the picture.
#'
#' `yarrow` is local, free and repeatable. Its own knob runs from 0 to 1 and a
#' higher value *changes* more. It needs sizes in multiples of 64 and wrecks
#' others. Checkpoint `tide` paints evenly; `ember` turns too hard in colour
#' when guidance goes above 10. The add-on `grain` gives the tooth of a rough
#' paper.
#'
#' `bracken` stands in for a hosted service with a price, a queue and a slow first
#' call. Its own knob runs from 1 to 100 and a higher value *keeps* more: hardly
#' anything happens up to 55, then the reference takes over within a few steps.
#' Above 80 it ignores the prompt. It also describes pictures, for
#' [draft_prompts()]: of drawings of Brackwater that it has not seen, 19 in 20 are
#' called by their right name.
#'
#' `quince` is fast and cheap. It loses small details, sometimes mirrors, does not
#' quite repeat a seed, paints beyond a mask's edge, and takes a look strongly.
#'
#' `teasel` is a refiner for second steps, and enlarges: it sharpens what is there at a hold
#' above 0.75, less the closer to 1, and makes things up below.
#'
#' `sorrel` holds early and takes depth guides. Its content filter refuses smoke,
#' and one file in fifty breaks off.
#'
#' `madder` keeps what is there and paints thinly; `burdock` paints thickly, its
#' checkpoint `leaf` more lightly than `burr`. As servers they have interfaces of their own.
#'
#' @return An [engine()] in this process; [start_standins()] runs them as servers.
#' @family stand-ins and the command line
#' @export
#' @examples
#' standin_yarrow()
standin_yarrow <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "yarrow",
      version = "2",
      checkpoints = list(tide = list(multiple_of = 64), ember = list(multiple_of = 64)),
      settings = list(guidance = c(1, 20), steps = c(1, 60)),
      hold = c(at_0 = 1, at_1 = 0),
      add_ons = "grain",
      takes = c(
        "look", "mask", "references", "text_alone", "negative", "edges", "soft_edges", "areas"
      ),
      repeatable = TRUE,
      price = 0,
      seconds = 0.3
    ),
    make = function(request) engine_result(yarrow_picture(request, memory), cost = 0)
  )
}

yarrow_picture <- function(request, memory) {
  guidance <- request$settings$guidance %||% 7
  change <- request$native_hold^1.2
  style <- manner_of(request, own = "gouache", memory)
  picture <- paint_take(
    request,
    change,
    pull = min(1, guidance / 9),
    style$manner,
    style$palette,
    strength = 0.55 + 0.35 * change,
    mends = remove_scratches
  )
  if (request$checkpoint == "ember") {
    picture <- clamp(0.5 + (picture - 0.5) * (1.12 + 0.12 * max(0, guidance - 10)))
  }

  grain <- request$add_ons$grain %||% 0
  if (grain != 0) {
    picture <- inside_mask(add_grain(picture, grain, request$seed), picture, request$mask)
  }

  if (any(request$size %% 64 != 0)) {
    picture <- wreck(picture)
  }

  picture
}

# The add-on: the tooth of a rough paper.
add_grain <- function(picture, weight, seed) {
  tooth <- with_drawing_seed(seed, smooth_noise(dim(picture)[1], dim(picture)[2], 2))
  clamp(picture + 0.12 * weight * c(tooth))
}

# A size that the checkpoint was not made for: everything comes twice.
wreck <- function(picture) {
  half <- picture[, seq(1, dim(picture)[2], by = 2), ]
  array(
    c(
      cbind(half[, , 1], half[, , 1]),
      cbind(half[, , 2], half[, , 2]),
      cbind(half[, , 3], half[, , 3])
    )[seq_along(picture)],
    dim(picture)
  )
}

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
      enlarge = 4,
      emphasis = "none",
      repeatable = TRUE,
      price = 0,
      seconds = 0.2
    ),
    make = function(request) {
      picture <- enlarge_painted(
        teasel_picture(request),
        request$enlarge %||% 1,
        request$native_hold / 100,
        request$seed
      )
      engine_result(picture, cost = 0)
    }
  )
}

# A refiner: a little change sharpens what is there, much of it makes things up.
teasel_picture <- function(request) {
  change <- request$native_hold / 100
  start <- resample_picture(request[["reference"]], request$size[2], request$size[1])
  sharper <- clamp(change / sharpens_fully)
  picture <- draw_sum(
    list(start, soften(start, 2.5), soften(start, 10)),
    c(1 + 1.55 * sharper, -1.3 * sharper, -0.25 * sharper)
  )
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

# The change from which it sharpens as much as it can.
sharpens_fully <- 0.1

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
