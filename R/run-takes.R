# The takes of a run: which are made, how often each was tried, and which wait for others.
RunTakes <- R6::R6Class(
  "sprenn_takes",
  cloneable = FALSE,
  public = list(
    # `takes` is what read_takes() gives, `wanted` says which of them are to be made, `steps`
    # are the lineup's. A take is known by its number in `takes`.
    initialize = function(takes, wanted, steps) {
      count <- nrow(takes)
      private$takes <- takes
      private$steps <- steps[match(takes$pipeline, steps$pipeline), ]
      private$is_made <- takes$state == "made" & !wanted
      private$tries <- private$spent <- private$losses <- private$cuts <- numeric(count)
      private$doubted <- private$made_here <- logical(count)
      waits <- !is.na(takes$parent) & !(takes$parent %in% takes$take[private$is_made])
      private$children <- split(which(wanted & waits), takes$parent[wanted & waits])
      private$wanted <- wanted
      private$ready <- wanted & !waits
    },

    row = function(at) private$takes[at, ],
    step = function(at) private$steps[at, ],
    engine_of = function(at) private$steps$engine[at],
    # The takes that an engine has to make in this run.
    wanted_of = function(engine) which(private$wanted & private$steps$engine %in% engine),
    ready_of = function(engine) which(private$ready & private$steps$engine %in% engine),
    of_steps = function(steps) which(private$takes$pipeline %in% steps),

    # The take and those of `waiting` that differ from it only in the seed, at most `most` in all. A
    # later step of a chain works on another picture for each seed.
    asked_for_with = function(at, waiting, most) {
      if (most == 1 || !is.na(private$takes$parent[at])) {
        return(at)
      }

      if (is.null(private$group)) {
        parts <- paste(private$takes$pipeline, private$takes$case, private$takes$control)
        private$group <- match(parts, parts)
      }

      same <- waiting[private$group[waiting] == private$group[at]]
      utils::head(unique(c(at, sort(same))), most)
    },

    # Steps of chains that can start once this take is made.
    children_of = function(at) private$children[[private$takes$take[at]]],

    # The number of this try, from 1.
    begin_try = function(at) {
      private$tries[at] <- private$tries[at] + 1
      private$tries[at]
    },

    # Tries that failed for external reasons do not count.
    forget_try = function(at) private$tries[at] <- private$tries[at] - 1,

    # The cost of all tries of a take so far, including this answer.
    add_spent = function(at, engine, made) {
      private$spent[at] <- add_spent(engine, made, private$spent[at])
      private$spent[at]
    },

    # Counts how often the connection was cut on which it was asked for.
    count_cut = function(at) {
      private$cuts[at] <- private$cuts[at] + 1
      private$cuts[at]
    },

    # Counts how often the process that had it ended.
    count_loss = function(at) {
      private$losses[at] <- private$losses[at] + 1
      private$losses[at]
    },

    note_made = function(at, picture, bytes) {
      private$is_made[at] <- TRUE
      private$made_here[at] <- TRUE
      private$takes$file[at] <- picture$file
      private$takes$sha256[at] <- picture$sha256
      private$takes$bytes[at] <- bytes
    },

    note_unmade = function(at) private$is_made[at] <- FALSE,

    # Takes of other cases with exactly the same picture.
    twins_of = function(at, sha256) {
      same <- private$is_made & private$takes$sha256 %in% sha256
      which(same & private$takes$case != private$takes$case[at])
    },

    is_doubted = function(at) private$doubted[at],
    note_doubt = function(at) private$doubted[at] <- TRUE,

    # A take can be made again if this run made it and no later step depends on it.
    can_be_unmade = function(at) {
      private$made_here[at] && !private$takes$take[at] %in% private$takes$parent
    },

    # Other takes of the same case that wait to be measured, and the size of their pictures in
    # bytes.
    of_same_case = function(at, among) {
      among[private$takes$case[among] == private$takes$case[at]]
    },

    bytes = function(ats) private$takes$bytes[ats],

    # Which of them still have the same picture.
    are_still = function(ats, sha256) {
      (private$takes$sha256[ats] == sha256 & private$is_made[ats]) %in% TRUE
    }
  ),
  private = list(
    takes = NULL,
    steps = NULL,
    # Takes that differ only in the seed have the same number here, once it was needed.
    group = NULL,
    wanted = logical(),
    ready = logical(),
    children = list(),
    is_made = logical(),
    made_here = logical(),
    doubted = logical(),
    tries = numeric(),
    spent = numeric(),
    losses = numeric(),
    cuts = numeric()
  )
)
