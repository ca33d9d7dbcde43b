# From a planned take to its request.

# Builds the requests of one run, with caches for what the takes of a case share, and those that
# differ in nothing but their seed.
Requests <- R6::R6Class(
  "sprenn_requests",
  cloneable = FALSE,
  public = list(
    initialize = function(trial, store) {
      private$trial <- trial
      private$store <- store
      private$run_key <- get_facts(store)$key
      private$inputs <- cache_of_pictures()
      private$hashes <- small_cache()
      private$descriptions <- small_cache()
    },

    # The `request` of takes that differ only in their seed, and how each is `described` in the
    # run's records.
    request_of = function(engine, step, takes) {
      key <- private$key_of(takes)
      shared <- private$shared_by(engine, step, takes[1, ])
      requests <- lapply(seq_len(nrow(takes)), function(i) {
        request <- request_of_take(shared$request, takes[i, ])
        request$key <- key
        request
      })
      described <- vapply(requests, describe_own, "", shared$described)
      request <- requests[[1]]
      if (nrow(takes) > 1) {
        request$seeds <- takes$seed
        request$label <- paste0(request$label, " and ", nrow(takes) - 1, " more")
      }

      list(request = request, described = described)
    }
  ),
  private = list(
    trial = NULL,
    store = NULL,
    run_key = NULL,
    inputs = NULL,
    hashes = NULL,
    descriptions = NULL,
    # What the last takes asked for shared, and its `name`.
    last = NULL,

    # What takes that differ only in their seed share: the `request`, and how that is `described`.
    # A later step of a chain works on another picture for each seed.
    shared_by = function(engine, step, take) {
      is_first_step <- is.na(take$parent)
      name <- paste(take$pipeline, take$case, take$control)
      if (is_first_step && identical(private$last$name, name)) {
        return(private$last)
      }

      request <- shared_request(
        private$trial,
        step,
        engine,
        take,
        private$inputs,
        parents_in(private$store)
      )
      describe <- function() {
        describe_shared(request, step, engine$about$version, take, private$hashes)
      }
      if (!is_first_step) {
        return(list(request = request, described = describe()))
      }

      described <- private$descriptions$get(name, describe())
      private$last <- list(name = name, request = request, described = described)
      private$last
    },

    # The key depends on the run, so that another run of the same takes gets new pictures.
    key_of = function(takes) {
      if (nrow(takes) > 1) {
        return(substr(hash_of(list(private$run_key, takes$take, takes$attempt)), 1, 20))
      }

      key <- substr(hash_of(list(private$run_key, takes$take)), 1, 20)
      paste0(key, "-", takes$attempt)
    }
  )
)

# The request of one take. `inputs` caches pictures; `parent_of` returns the bytes of the picture
# that a chain's step works on.
request_for <- function(trial, step, engine, take, inputs, parent_of = NULL) {
  request_of_take(shared_request(trial, step, engine, take, inputs, parent_of), take)
}

# What is of one take alone in a request.
request_of_take <- function(request, take) {
  request$seed <- request$seeds <- take$seed
  request$key <- paste0(take$take, "-", take$attempt)
  request$label <- paste0(
    take$pipeline, ", ", take$case, ", seed ", take$seed,
    if (!is.na(take$control)) paste(",", gsub("_", " ", take$control))
  )
  request$names <- list(
    pipeline = paste0(take$pipeline, if (!is.na(take$control)) paste0("-", take$control)),
    case = take$case,
    seed = take$seed,
    take = take$take
  )
  request
}

# The request of a take without what is of that take alone.
shared_request <- function(trial, step, engine, take, inputs, parent_of = NULL) {
  about <- engine$about
  whole <- case_named(trial$suite, take$case)
  control <- take$control
  gives <- step$gives[[1]]
  whole$drafts <- drafts_of_case(trial, take$case, gives)
  given <- given_under(whole, control, gives, step$stage, trial$suite)
  case <- given$controlled
  given <- given$case
  frame <- case_frame(whole, trial$suite)
  size <- given_size(gives, frame, about$checkpoints[[step$checkpoint]])
  # Inputs that are sent as PNG are encoded once for all takes of a case, and of all steps that
  # differ in nothing but weights.
  travels <- takes_png(engine)
  drawn <- given
  drawn$references <- whole$references
  as_drawn <- c(names(given$guides), if (!is.null(gives$mask)) hash_of(gives$mask))
  checkpoint <- about$checkpoints[[step$checkpoint]]
  prepared <- inputs$get(paste(c("inputs", travels, case$id, size, as_drawn), collapse = " "), {
    prepared <- inputs_at(drawn, trial$suite, size, gives, checkpoint)
    if (travels) encode_inputs(prepared) else prepared
  })
  size <- prepared$size
  references <- prepared$references[seq_along(case$references)]
  back <- prepared$back
  weights <- vapply(case$references, `[[`, 0, "weight")
  if (!is.na(take$parent) && !identical(given$reference_from, "none")) {
    again <- if (identical(given$reference_from, "both")) 1
    parent <- inputs$get(paste(c("step", take$parent, size, as_drawn), collapse = " "), {
      parent_input(parent_of(take$parent), frame, prepared, given$mask_fill)
    })
    back <- parent$back
    references <- c(list(parent$given), references[again])
    weights <- c(1, weights[again])
  }

  # Inputs that the engine does not take were either refused when the trial was read, or are to be
  # left out.
  dropped <- setdiff(step_inputs(case, step$stage), about$takes)
  taken <- function(input, thing) if (!input %in% dropped) thing
  looks <- taken("look", looks_for(case, trial$suite, prepared$references[1], inputs, travels))
  request <- new_request(
    engine,
    list(
      prompt = new_table(
        say = vapply(case$prompt, `[[`, "", "say"),
        weight = as.numeric(vapply(case$prompt, `[[`, 0, "weight"))
      ),
      negative = taken("negative", case$negative) %||% character(),
      references = references,
      reference_weights = weights,
      looks = looks %||% list(),
      look_weight = case$look_weight,
      guides = weighted_guides(
        prepared$guides[setdiff(
          intersect(names(prepared$guides), names(case$guides)),
          dropped
        )],
        case$guides
      ),
      mask = taken("mask", prepared$mask),
      context = taken("mask", prepared$context),
      part = prepared$part,
      enlarge = gives$enlarge,
      # A part that reaches to the edge is a mask like any other.
      grow = if (is.null(back)) case$grow else c(0, 0, 0, 0),
      hold = step$hold,
      checkpoint = step$checkpoint,
      add_ons = step$add_ons[[1]],
      settings = step$settings[[1]],
      size = size,
      notes = c(
        if (length(dropped)) paste0("left out: ", input_words[dropped]),
        if (length(given$lacking)) paste0("not there: ", given$lacking),
        if (!is.na(control)) paste("control:", gsub("_", " ", control))
      )
    )
  )
  request$put_back <- back
  # Kept with the take, so that its recipe says it all.
  drafted <- whole$drafts[[drafted_by(gives) %||% ""]]
  if (length(drafted)) {
    request$drafted <- as.list(drafted)
  }

  request
}

# What engines have drafted for a case. Without it a step that needs it can't be asked for.
drafts_of_case <- function(trial, id, gives) {
  drafts <- lapply(trial$drafts, `[[`, id)
  by <- drafted_by(gives)
  if (!is.null(by) && is.null(drafts[[by]])) {
    stop_sprenn(
      "run",
      paste0("The prompt that ", by, " drafted for ", id, " is kept with its run only.")
    )
  }

  drafts
}

# What prepare_inputs() gives, with the `size` that the engine works at. Where it is to see only
# the masked part, that is what it gets, and `back` says how the whole is put together.
inputs_at <- function(case, suite, size, gives, checkpoint) {
  if (!identical(case$mask_show, "part")) {
    return(c(prepare_inputs(case, suite, size), list(size = size)))
  }

  fill <- case$mask_fill
  case$mask_fill <- NULL
  frame <- case_frame(case, suite)
  prepared <- prepare_inputs(case, suite, frame)
  box <- if (!is.null(prepared$mask)) part_box(prepared$mask, case$mask$padding %||% NA_real_)
  if (is.null(box)) {
    case["mask_show"] <- list(NULL)
    return(inputs_at(case, suite, size, gives, checkpoint))
  }

  # As many pixels as for the whole, in the aspect of the part.
  edges <- box[3:4] - box[1:2]
  size <- given_size(gives, pmax(1, round(edges * sqrt(prod(frame / edges)))), checkpoint)
  box <- box_of_aspect(box, size, frame)
  back <- list(picture = prepared$references[[1]], mask = prepared$mask, box = box)
  prepared <- part_of_inputs(prepared, box, size)
  prepared$references[1] <- lapply(prepared$references[1], fill_masked, prepared$mask, fill)
  c(prepared, list(size = size, back = back))
}

# The pictures of a case's look, its reference if that is to be shown for its manner.
looks_for <- function(case, suite, reference, inputs, travels) {
  c(
    if (!is.na(case$look) && !identical(case$look_from, "reference")) {
      inputs$get(
        paste("look", travels, case$look),
        lapply(unname(suite$looks[[case$look]]), function(path) {
          if (travels) with_png(read_picture(path)) else read_picture(path)
        })
      )
    },
    if (shows_reference_as_look(case)) reference
  )
}

# Guides are drawn once, whatever the weights that steps give them.
weighted_guides <- function(drawn, wanted) {
  Map(
    function(guide, kind) utils::modifyList(guide, wanted[[kind]][c("weight", "release")]),
    drawn,
    names(drawn)
  )
}

encode_inputs <- function(prepared) {
  prepared$references <- lapply(prepared$references, with_png)
  if (!is.null(prepared$mask)) {
    prepared$mask <- with_png(prepared$mask)
  }

  prepared$guides <- lapply(prepared$guides, function(guide) {
    if (!is.null(guide$picture)) {
      guide$picture <- with_png(guide$picture)
    }

    guide
  })
  prepared
}

# A function that returns the picture of an earlier step.
parents_in <- function(store) function(parent) take_bytes(store, read_take(store, parent))

# The picture of the step before, brought to the size that the next one works at.
fit_parent <- function(bytes, frame, size) {
  pixels <- bring_back(decode_picture(encoded_picture(bytes)), frame)
  place <- frame_inside(size, frame)
  reflect_into(resize_picture(pixels, place[3:4]), place, size)
}

# What the next step is `given` of that picture, and `back`, how the whole is put together where
# that is only a part.
parent_input <- function(bytes, frame, prepared, fill) {
  back <- prepared$back
  size <- prepared$size
  if (is.null(back)) {
    pixels <- fit_parent(bytes, frame, size)
  } else {
    back$picture <- fit_parent(bytes, frame, frame)
    pixels <- cut_part(back$picture, back$box, size)
  }

  list(given = fill_masked(pixels, prepared$mask, fill), back = back)
}

# The request as it is kept with each take, in JSON: what it shares with other takes, pictures by
# their hash, and then what is of its own. What else was asked for in the same call says nothing of
# the take.
describe_own <- function(request, shared) {
  own <- flat_json(list(
    label = request$label,
    seed = request$seed,
    key = request$key,
    names = flat_json(request$names)
  ))
  paste0(substr(shared, 1, nchar(shared) - 1), ",", substring(own, 2))
}

describe_shared <- function(request, step, version, take, known) {
  plain <- unclass(request)
  # Steps may fill the mask, or show the reference as a look.
  gives <- hash_of(step$gives[[1]][c("mask", "look", "reference")])
  hashes <- function(what, pictures) {
    # The reference of a chain's step differs by seed.
    whose <- if (what == "references" && !is.na(take$parent)) take$parent else take$case
    known$get(
      paste(
        c("hash of", what, length(pictures), names(pictures), whose, request$size, gives),
        collapse = " "
      ),
      as.list(vapply(pictures, pixel_hash, ""))
    )
  }

  plain$reference <- NULL
  plain[c("put_back", "label", "seed", "seeds", "key", "names")] <- NULL
  plain$references <- hashes("references", request$references)
  plain$looks <- hashes("looks", request$looks)
  plain$mask <- hashes(
    "mask",
    if (!is.null(request$mask)) list(array(request$mask, c(dim(request$mask), 3)))
  )
  pictures <- hashes("guides", lapply(request$guides, `[[`, "picture"))
  plain$guides <- lapply(names(request$guides), function(kind) {
    c(
      list(kind = kind, picture = pictures[[kind]]),
      request$guides[[kind]][c("weight", "release")]
    )
  })
  to_json(c(
    list(pipeline = take$pipeline, engine = step$engine, version = version),
    plain,
    if (length(step$gives[[1]])) list(gives = step$gives[[1]])
  ))
}
