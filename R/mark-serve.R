#' Mark the references of a suite on a page
#'
#' Opens a page on this machine that shows the reference of every case. On it, watched regions, the
#' crop box and its focus, the mask, added canvas and the joints of a pose are drawn and edited.
#' What has changed is shown first, as lines of `suite.yml` and files of `masks/` and `guides/`,
#' and written only then. The order, comments and other entries of `suite.yml` stay as they are.
#'
#' Maps are drawn pixel by pixel, at the size that Sprenn reads the reference at: its own, turned
#' as its file says, or with a long edge of 4096 pixels if it has more than 16 million. A file of
#' the trial is replaced only if it is the edited one and no other place of the suite uses it.
#'
#' The suite may lack prompts still. The page is served on 127.0.0.1 only, and only to those who
#' have the address with its token, which is new each time.
#'
#' @param trial The folder of a trial.
#' @inheritParams view_takes
#' @return The folder, invisibly, when it is stopped (Ctrl-C or after `seconds`).
#' @section Errors: `sprenn_error_trial` if the suite has problems.
#' @family trials
#' @export
#' @examples
#' \dontrun{
#' mark_trial("brackwater")
#' }
mark_trial <- function(
  trial,
  port = NULL,
  seconds = Inf,
  ready = function(address) message("Open ", address)
) {
  check_arguments(
    trial = checkmate::check_directory_exists(trial),
    port = checkmate::check_int(port, lower = 1, upper = 65535, null.ok = TRUE),
    seconds = checkmate::check_number(seconds, lower = 0),
    ready = checkmate::check_function(ready, nargs = 1)
  )
  folder <- normalizePath(trial, winslash = "/")
  serve_site(mark_site(MarkDesk$new(folder)), port, seconds, ready)
  invisible(folder)
}

# The suite as it was read last.
MarkDesk <- R6::R6Class(
  "sprenn_mark_desk",
  cloneable = FALSE,
  public = list(
    folder = NULL,
    markable = NULL,
    pictures = NULL,

    initialize = function(folder) {
      self$folder <- folder
      self$pictures <- Cache$new(most_bytes = most_kept_pictures)
      self$read()
    },

    read = function() {
      private$bytes <- self$written()
      self$markable <- read_markable(self$folder)
      self$pictures$clear()
    },

    # Reads the suite again if another hand has changed it.
    refresh = function() {
      if (!identical(private$bytes, self$written())) {
        self$read()
      }
    },

    written = function() {
      file <- file.path(self$folder, "suite.yml")
      if (file.exists(file)) read_bytes(file)
    }
  ),
  private = list(
    bytes = NULL
  )
)

mark_site <- function(desk) {
  list(
    page = function() mark_page(desk$markable$own$value$title %||% desk$markable$own$value$suite),
    picture = function(name) mark_picture(desk, name),
    enter = function(window) serve_marker(desk, window)
  )
}

# One browser window, and what it has proposed last.
serve_marker <- function(desk, window) {
  draft <- NULL
  refuse <- function(e) window$send("refused", I(error_lines(e)))
  # What another hand has changed since is read when a page is opened anew.
  tryCatch(desk$refresh(), sprenn_error = refuse)
  window$send("suite", told_of_suite(desk$markable))
  hear <- function(kind, said) {
    switch(kind,
      open = window$send("case", told_of_marks(desk$markable, said$at)),
      propose = {
        draft <<- NULL
        draft <<- propose_marks(desk$markable, said$marked)
        window$send("proposal", told_of_draft(draft))
      },
      write = if (!is.null(draft)) {
        write_marks(desk$markable, draft)
        files <- names(draft$files)
        draft <<- NULL
        desk$read()
        window$send("suite", told_of_suite(desk$markable))
        window$send("written", list(files = I(c("suite.yml", files))))
      }
    )
  }
  list(
    heard = function(kind, said) {
      tryCatch(hear(kind, said), sprenn_error = refuse)
    },
    left = function() NULL
  )
}

told_of_suite <- function(markable) {
  jobs <- unique(vapply(markable$own$cases, function(case) case$job, ""))
  may <- lapply(stats::setNames(nm = jobs), parts_of_job)
  list(
    cases = lapply(seq_along(markable$own$cases), function(i) {
      case <- markable$own$cases[[i]]
      given <- intersect(c("watch", "mask", "grow", "guides"), names(case))
      first <- first_reference(case)
      if (is.list(first) && any(c("box", "focus") %in% names(first))) {
        given <- c("crop", given)
      }

      list(
        id = case$id,
        job = case$job,
        reference = !is.null(first),
        given = I(given),
        may = I(may[[case$job]])
      )
    }),
    joints = joint_names,
    limbs = limbs
  )
}

# A case with its marks, and where its pictures are.
told_of_marks <- function(markable, at) {
  stop_for_bad_marks(!is_case_number(at, markable), "no such case")
  case <- markable$suite$cases[[at]]
  about <- list(at = at, id = case$id, job = case$job)
  if (is.null(case$reference)) {
    return(about)
  }

  c(
    about,
    list(
      size = size_of_reference(markable, at),
      inner = inner_frame(case, markable$suite),
      depth = !is.null(case$guides$depth),
      marks = marks_of_case(markable, at)
    )
  )
}

is_case_number <- function(at, markable) {
  is_whole(at, length(markable$suite$cases)) && at >= 1
}

told_of_draft <- function(draft) {
  list(
    changes = draft$changes,
    files = I(vapply(
      names(draft$files),
      function(path) paste0(path, ", ", show_size(length(draft$files[[path]]))),
      ""
    ))
  )
}

# The pictures of the page by name: `reference-3`, `thumb-3`, `mask-3`, `watch-3-1`, `depth-3`.
mark_picture <- function(desk, name) {
  if (!grepl("^(reference|thumb|mask|depth)-[0-9]{1,6}$|^watch-[0-9]{1,6}-[0-9]{1,4}$", name)) {
    return(NULL)
  }

  at <- as.integer(strsplit(name, "-", fixed = TRUE)[[1]][-1])
  if (!is_case_number(at[1], desk$markable) ||
    is.null(desk$markable$suite$cases[[at[1]]]$reference)) {
    return(NULL)
  }

  desk$pictures$get(name, drawn_for_marks(desk$markable, sub("-.*", "", name), at))
}

drawn_for_marks <- function(markable, kind, at) {
  case <- markable$suite$cases[[at[1]]]
  size <- size_of_reference(markable, at[1])
  map <- switch(kind,
    mask = case$mask$path,
    watch = if (at[2] >= 1 && at[2] <= length(case$watch)) case$watch[[at[2]]]$path,
    depth = case$guides$depth$path
  )
  if (kind == "thumb") {
    list(type = "image/jpeg", bytes = shown_jpeg(case$reference, size, thumb_edge))
  } else if (kind == "reference") {
    list(type = "image/jpeg", bytes = shown_jpeg(case$reference, size))
  } else if (!is.null(map)) {
    list(type = "image/png", bytes = png::writePNG(map_at(map, size)))
  }
}

thumb_edge <- 120

# A picture as the page shows it: turned, on its backdrop, at this size or smaller.
shown_jpeg <- function(reference, size, edge = max(size)) {
  image <- magick::image_orient(magick::image_read(reference$path))
  backdrop <- if (reference$backdrop == "grey") "#808080" else reference$backdrop
  image <- magick::image_background(image, backdrop, flatten = TRUE)
  shown <- pmax(1, round(size * min(1, edge / max(size))))
  image <- magick::image_resize(image, sprintf("%dx%d!", shown[1], shown[2]))
  magick::image_write(magick::image_strip(image), format = "jpeg", quality = 92)
}

# A map in grey (rows x columns) at the reference's size; as it is if that is its own.
map_at <- function(path, size) {
  map <- read_map(path)
  if (any(dim(map)[2:1] != size)) {
    map <- resize_picture(map, size)
  }

  map[, , 1]
}
