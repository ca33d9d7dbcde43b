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
      private$file <- takes$file
      private$sha256 <- takes$sha256
      private$.bytes <- takes$bytes
      private$attempt <- takes$attempt
      private$steps <- steps[match(takes$pipeline, steps$pipeline), ]
      private$is_made <- takes$state == "made" & !wanted
      private$tries <- private$spent <- private$losses <- private$cuts <- numeric(count)
      private$doubted <- private$made_here <- logical(count)
      waits <- !is.na(takes$parent) & !(takes$parent %in% takes$take[private$is_made])
      private$children <- numbers_by(takes$parent, which(wanted & waits))
      private$wanted <- wanted
      private$ready <- wanted & !waits
    },

    row = function(at) {
      row <- private$takes[at, ]
      row$file <- private$file[at]
      row$sha256 <- private$sha256[at]
      row$bytes <- private$.bytes[at]
      row$attempt <- private$attempt[at]
      row
    },

    ids = function(ats) private$takes$take[ats],

    step = function(at) private$steps[at, ],
    engine_of = function(at) private$steps$engine[at],
    # The takes that an engine has to make in this run.
    wanted_of = function(engine) which(private$wanted & private$steps$engine %in% engine),
    ready_of = function(engine) which(private$ready & private$steps$engine %in% engine),
    of_steps = function(steps) which(private$takes$pipeline %in% steps),

    # The take and those that differ from it only in the seed and are `ready_among` them, at most
    # `most` in all. A later step of a chain works on another picture for each seed.
    asked_for_with = function(at, ready_among, most) {
      if (most == 1 || !is.na(private$takes$parent[at])) {
        return(at)
      }

      if (is.null(private$seeds_of)) {
        private$same_but_seed <- paste(
          private$takes$pipeline, private$takes$case, private$takes$control
        )
        private$seeds_of <- numbers_by(private$same_but_seed)
      }

      same <- ready_among(private$seeds_of[[private$same_but_seed[at]]])
      utils::head(unique(c(at, same)), most)
    },

    # All takes of the same case that the same engine makes, in the order of the plan.
    shown_the_same = function(at) {
      if (is.null(private$of_case)) {
        private$case_and_engine <- paste(private$takes$case, private$steps$engine)
        private$of_case <- numbers_by(private$case_and_engine)
      }

      private$of_case[[private$case_and_engine[at]]]
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

    # Whether a process that had them has ever ended: they may be the cause.
    are_suspect = function(at) private$losses[at] > 0,

    # Counts how often the process that had it ended.
    count_loss = function(at) {
      private$losses[at] <- private$losses[at] + 1
      private$losses[at]
    },

    note_made = function(at, picture, bytes) {
      private$is_made[at] <- TRUE
      private$made_here[at] <- TRUE
      private$file[at] <- picture$file
      private$sha256[at] <- picture$sha256
      private$.bytes[at] <- bytes
      if (!is.null(private$pictures)) {
        private$pictures[[picture$sha256]] <- c(private$pictures[[picture$sha256]], at)
      }
    },

    note_unmade = function(at) private$is_made[at] <- FALSE,

    # From now on, takes of these numbers can be found by their position in the plan.
    find_by_position = function(planned) {
      private$by_position <- integer()
      private$by_position[private$takes$position[planned]] <- planned
    },

    # Takes that this process has claimed, each with the attempt that it is at. Returns their
    # numbers.
    note_claimed = function(positions, attempt) {
      at <- private$by_position[positions]
      private$attempt[at] <- attempt
      at
    },

    # Takes that any process of this run has made, with their `pictures` (`file`, `sha256`). Returns
    # the numbers of those that the plan has.
    note_elsewhere = function(positions, pictures, bytes) {
      at <- private$by_position[positions]
      known <- !is.na(at)
      at <- at[known]
      private$made_here[at] <- private$made_here[at] | !private$is_made[at]
      private$is_made[at] <- TRUE
      private$file[at] <- pictures$file[known]
      private$sha256[at] <- pictures$sha256[known]
      private$.bytes[at] <- bytes[known]
      at
    },

    # Takes of other cases with exactly the same picture.
    twins_of = function(at, sha256) {
      if (is.null(private$pictures)) {
        private$pictures <- numbers_by(private$sha256, which(private$is_made))
      }

      same <- unique(private$pictures[[sha256]])
      # Some may have been made again since.
      same <- same[private$is_made[same] & private$sha256[same] == sha256]
      sort(same[private$takes$case[same] != private$takes$case[at]])
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

    bytes = function(ats) private$.bytes[ats],

    # Which of them still have the same picture.
    are_still = function(ats, sha256) {
      (private$sha256[ats] == sha256 & private$is_made[ats]) %in% TRUE
    }
  ),
  private = list(
    takes = NULL,
    steps = NULL,
    # Of the pictures as they are now; those of `takes` are of the beginning.
    file = character(),
    sha256 = character(),
    .bytes = numeric(),
    attempt = integer(),
    by_position = integer(),
    wanted = logical(),
    ready = logical(),
    # Numbers of takes as numbers_by() has them, from when they are needed: by the take before them,
    # by the hash of their picture, by all but the seed, and by case and engine.
    children = NULL,
    pictures = NULL,
    same_but_seed = NULL,
    seeds_of = NULL,
    case_and_engine = NULL,
    of_case = NULL,
    is_made = logical(),
    made_here = logical(),
    doubted = logical(),
    tries = numeric(),
    spent = numeric(),
    losses = numeric(),
    cuts = numeric()
  )
)

# The numbers of takes by a text that each has, in an environment, since a list would be searched
# from its beginning. `of` says which takes.
numbers_by <- function(texts, of = seq_along(texts)) list2env(split(of, texts[of]))

# Whether a take's picture is where it is kept. A server is not asked about each.
picture_is_there <- function(store, takes) {
  if (!is.null(store$pictures)) {
    return(takes$state == "made")
  }

  # The size of no file is NA.
  (!is.na(takes$file) & file.size(take_path(store, takes$file)) == takes$bytes) %in% TRUE
}

# The takes with the full path of every picture.
list_takes <- function(store) {
  takes <- read_takes(store)
  takes$path <- ifelse(is.na(takes$file), NA_character_, take_path(store, takes$file))
  takes[c(
    "take", "pipeline", "case", "seed", "control", "state", "path", "sha256", "seconds", "cost",
    "failure", "message"
  )]
}
