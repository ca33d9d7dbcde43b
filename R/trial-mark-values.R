# The value that each part of a case's marks has in suite.yml, and the files that it names. All take
# a `draft` of trial-marks.R and return list(draft, value, files).

is_share <- function(x, most = 1) is_number(x) && are_between(x, c(0, most))

# To a hundredth of a pixel in the largest pictures.
mark_digits <- 6
as_place <- function(x) as.list(round(as.numeric(unlist(x)), mark_digits))

watch_value <- function(draft, markable, i, marks) {
  old <- markable$own$cases[[i]]$watch
  id <- markable$own$cases[[i]]$id
  value <- list()
  files <- character()
  for (region in marks) {
    name <- region$name
    stop_for_bad_marks(!is_text(name) || name %in% names(value), "two regions of one name")
    own <- old[[region$was %||% name]]
    if (is.null(region$box)) {
      put <- put_drawn(draft, markable, i, region$png, own$mask, paste0(id, "-", name))
      draft <- put$draft
      files <- c(files, put$path)
      own <- own[names(own) == "keep"]
      own <- c(list(mask = put$path), own)
    } else {
      stop_for_bad_marks(!is_box(region$box, c(0, 1)), "a box that leaves the picture")
      own <- own[names(own) == "keep"]
      own <- c(list(box = as_place(region$box)), own)
    }
    keep <- region$keep %||% 0.5
    stop_for_bad_marks(!is_share(keep), "a share to keep that is not between 0 and 1")
    own$keep <- if (keep != 0.5 || !is.null(own$keep)) as.numeric(keep)
    value[[name]] <- own
  }

  list(draft = draft, value = if (length(value)) value, files = files)
}

crop_value <- function(draft, markable, i, marks) {
  case <- markable$own$cases[[i]]
  several <- is.null(case[["reference"]])
  old <- first_reference(case)
  value <- if (is.list(old)) old else list(picture = old)
  stop_for_bad_marks(!is_box(marks$box, c(-4, 5)), "a box that is none")
  stop_for_bad_marks(!is_numbers(marks$focus, 2, c(0, 1)), "a focus outside the picture")
  stop_for_bad_marks(!isTRUE(marks$fit %in% c("crop", "pad", "stretch", "extend")), "no fit")
  given <- list(fit = marks$fit, focus = as_place(marks$focus), box = as_place(marks$box))
  usual <- list(fit = "crop", focus = list(0.5, 0.5), box = list(0, 0, 1, 1))
  for (key in names(given)) {
    if (!identical(given[[key]], usual[[key]])) {
      value[[key]] <- given[[key]]
    } else if (!identical(as.list(value[[key]]), as.list(usual[[key]]))) {
      value[[key]] <- NULL
    }
  }

  if (identical(names(value), "picture")) {
    value <- value$picture
  }

  if (several) {
    value <- replace(case$references, 1, list(value))
  }

  list(draft = draft, value = value, files = character())
}

mask_value <- function(draft, markable, i, marks) {
  if (is.null(marks)) {
    return(list(draft = draft, value = NULL, files = character()))
  }

  case <- markable$own$cases[[i]]
  old <- if (is.list(case$mask)) case$mask else list(picture = case$mask)
  files <- character()
  if (length(marks$boxes)) {
    sound <- vapply(marks$boxes, is_box, NA, c(0, 1))
    stop_for_bad_marks(!all(sound), "a box that leaves the picture")
    value <- list(boxes = lapply(marks$boxes, as_place))
  } else {
    put <- put_drawn(draft, markable, i, marks$png, old$picture, case$id)
    draft <- put$draft
    files <- put$path
    value <- list(picture = put$path)
  }

  stop_for_bad_marks(!is_whole(marks$feather %||% 0, 256), "a feather that is not 0 to 256")
  stop_for_bad_marks(!is_whole(marks$padding %||% 0, 2048), "a padding that is not 0 to 2048")
  value$invert <- if (isTRUE(marks$invert)) TRUE
  value$feather <- if ((marks$feather %||% 0) > 0) as.numeric(marks$feather)
  value$padding <- if (!is.null(marks$padding)) as.numeric(marks$padding)
  if (identical(names(value), "picture")) {
    value <- value$picture
  }

  list(draft = draft, value = value, files = files)
}

is_whole <- function(x, most) is_share(x, most) && x == round(x)

grow_value <- function(draft, marks) {
  sides <- c("left", "top", "right", "bottom")
  added <- lapply(stats::setNames(nm = sides), function(side) marks[[side]] %||% 0)
  stop_for_bad_marks(!all(vapply(added, is_share, NA, 2)), "canvas outside 0 to 2")
  added <- lapply(added, function(share) round(as.numeric(share), mark_digits))
  added <- added[vapply(added, function(share) share > 0, NA)]
  list(draft = draft, value = if (length(added)) added, files = character())
}

pose_value <- function(draft, markable, i, marks) {
  case <- markable$own$cases[[i]]
  guides <- case$guides
  files <- character()
  if (is.null(marks) || length(marks) == 0) {
    guides$pose <- NULL
  } else {
    bytes <- keypoint_bytes(marks, size_of_reference(markable, i))
    old <- guides$pose$keypoints
    files <- mark_path(draft, markable, i, old, file.path("guides", paste0(case$id, "-pose.json")))
    draft$files[[files]] <- bytes
    guides$pose <- c(list(keypoints = files), guides$pose[setdiff(names(guides$pose), "keypoints")])
  }

  list(draft = draft, value = if (length(guides)) guides, files = files)
}

# A file of keypoints, in pixels of the reference.
keypoint_bytes <- function(figures, size) {
  known <- vapply(
    figures,
    function(figure) {
      is_keyed(figure) && all(names(figure) %in% joint_names) &&
        all(vapply(figure, is_numbers, NA, 2, c(-4, 5)))
    },
    NA
  )
  stop_for_bad_marks(!all(known), "a figure with unknown joints")
  joints <- lapply(figures, function(figure) {
    lapply(figure, function(at) round(unlist(at) * size, 2))
  })
  whole <- lapply(list(width = size[1], height = size[2]), jsonlite::unbox)
  charToRaw(paste0(jsonlite::toJSON(c(whole, list(figures = joints)), digits = NA), "\n"))
}

size_of_reference <- function(markable, i) {
  markable$suite$files[[markable$suite$cases[[i]]$reference$path]]$size
}

# A map that was drawn, as a PNG of the reference's size, or the file as it is if there is none.
put_drawn <- function(draft, markable, i, png, old, stem) {
  if (is.null(png)) {
    stop_for_bad_marks(is.null(old), "a map that was never drawn")
    return(list(draft = draft, path = old))
  }

  size <- size_of_reference(markable, i)
  pixels <- drawn_pixels(png, size)
  path <- mark_path(draft, markable, i, old, file.path("masks", paste0(plain_stem(stem), ".png")))
  draft$files[[path]] <- png::writePNG(pixels)
  list(draft = draft, path = path)
}

# The grey values (rows x columns) of a PNG in base64.
drawn_pixels <- function(text, size) {
  refuse <- function(found) stop_for_bad_marks(TRUE, found)
  bytes <- tryCatch(openssl::base64_decode(text), error = function(e) refuse("no base64"))
  facts <- picture_facts(bytes)
  if (!identical(facts$format, "png") || any(c(facts$width, facts$height) != size)) {
    refuse(paste0("a map that is not a PNG of ", size[1], " x ", size[2]))
  }

  pixels <- tryCatch(
    decode_picture(encoded_picture(bytes), "black"),
    error = function(e) refuse("a damaged PNG")
  )
  pixels[, , 1]
}

plain_stem <- function(stem) gsub("[^A-Za-z0-9._-]+", "-", stem)
