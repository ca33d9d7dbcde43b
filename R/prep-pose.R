# Poses as a file of keypoints: where the joints of figures are.

joint_names <- c(
  "nose", "left_eye", "right_eye", "left_ear", "right_ear", "left_shoulder", "right_shoulder",
  "left_elbow", "right_elbow", "left_wrist", "right_wrist", "left_hip", "right_hip",
  "left_knee", "right_knee", "left_ankle", "right_ankle"
)

# Joints with a limb between them.
limbs <- list(
  c("nose", "left_eye"),
  c("nose", "right_eye"),
  c("left_eye", "left_ear"),
  c("right_eye", "right_ear"),
  c("left_shoulder", "right_shoulder"),
  c("left_shoulder", "left_elbow"),
  c("left_elbow", "left_wrist"),
  c("right_shoulder", "right_elbow"),
  c("right_elbow", "right_wrist"),
  c("left_shoulder", "left_hip"),
  c("right_shoulder", "right_hip"),
  c("left_hip", "right_hip"),
  c("left_hip", "left_knee"),
  c("left_knee", "left_ankle"),
  c("right_hip", "right_knee"),
  c("right_knee", "right_ankle")
)

# Reads `{"width": 600, "height": 400, "figures": [{"nose": [310, 80], ...}]}`:
# joints in pixels of the picture that they were found in, kept as shares of it.
# Raises what reading a picture raises, so that both are told alike.
read_keypoints <- function(path) {
  refuse <- function(found) {
    stop_sprenn(
      "picture",
      c(
        paste0("Can't read the keypoints ", path, "."),
        x = paste("found", found),
        i = "expected a JSON file of width, height and figures as docs/preparing.md describes it"
      ),
      path = path
    )
  }

  read <- read_keypoint_file(path, refuse)
  size <- c(read$width, read$height)
  if (!is.numeric(size) || length(size) != 2 || !are_between(size, c(1, 1e5))) {
    refuse("no width and height")
  }

  if (!is.list(read$figures) || length(read$figures) == 0 || !is.null(names(read$figures))) {
    refuse("no figures")
  }

  figures <- lapply(read$figures, read_figure, size = size, refuse = refuse)
  list(figures = figures, hash = hash_of(lapply(figures, ordered_joints)))
}

# Larger files are not keypoints.
most_keypoint_bytes <- 5e6

read_keypoint_file <- function(path, refuse) {
  if (!file.exists(path) || dir.exists(path)) {
    refuse("no such file")
  }

  if (file.size(path) > most_keypoint_bytes) {
    refuse("more than 5 MB")
  }

  bytes <- read_bytes(path)
  text <- rawToChar(bytes[bytes != 0])
  if (is_deep(text)) {
    refuse(paste("JSON", nested_too_deep))
  }

  read <- if (validUTF8(text)) {
    tryCatch(jsonlite::fromJSON(text, simplifyVector = FALSE), error = function(e) NULL)
  }
  if (!is_keyed(read)) {
    refuse("no JSON object")
  }

  read
}

# A figure as a matrix with a row a joint: x and y as shares of the picture.
read_figure <- function(figure, size, refuse) {
  if (!is_keyed(figure)) {
    refuse("a figure without joints")
  }

  unknown <- setdiff(names(figure), joint_names)
  if (length(unknown)) {
    refuse(paste0("an unknown joint, ", quoted(unknown[1])))
  }

  if (!all(vapply(figure, is_numbers, NA, 2))) {
    refuse("a joint that is not [x, y]")
  }

  do.call(rbind, lapply(figure, function(at) unlist(at) / size))
}

# The same for the same figure, in whatever order its joints are named.
ordered_joints <- function(figure) {
  sorted <- figure[order(rownames(figure)), , drop = FALSE]
  as.list(as.data.frame(t(round(sorted, 6))))
}

# Joints as shares of the reference, brought to pixels of `size` the way the
# reference itself is.
place_figures <- function(figures, reference, case, suite, size) {
  frame <- case_frame(case, suite)
  place <- frame_inside(size, frame)
  window <- canvas_window(case, suite, reference)
  scale <- (window$target[3:4] - window$target[1:2]) /
    (window$source[3:4] - window$source[1:2])
  lapply(figures, function(figure) {
    on_canvas <- sweep(
      sweep(sweep(figure, 2, window$source[1:2]), 2, scale, `*`),
      2,
      window$target[1:2],
      `+`
    )
    sweep(sweep(on_canvas, 2, place[3:4] / frame, `*`), 2, place[1:2], `+`)
  })
}

# Stick figures, white on black, as thick as a hundredth of the long edge; small
# ones thinner, so that their limbs stay apart.
draw_figures <- function(figures, size) {
  x <- matrix(rep(seq_len(size[1]) - 0.5, each = size[2]), size[2])
  y <- matrix(rep(seq_len(size[2]) - 0.5, times = size[1]), size[2])
  drawn <- matrix(0, size[2], size[1])
  for (figure in figures) {
    thick <- max(
      0.7,
      min(max(size) / 100, max(apply(figure, 2, function(at) diff(range(at)))) / 24)
    )
    for (limb in c(limbs, lapply(rownames(figure), rep, 2))) {
      if (!all(limb %in% rownames(figure))) {
        next
      }

      from <- figure[limb[1], ]
      along <- figure[limb[2], ] - from
      part <- if (any(along != 0)) {
        pmin(
          pmax(
            ((x - from[1]) * along[1] + (y - from[2]) * along[2]) /
              sum(along^2),
            0
          ),
          1
        )
      } else {
        0
      }
      away <- sqrt(
        (x - from[1] - part * along[1])^2 +
          (y - from[2] - part * along[2])^2
      )
      radius <- if (all(along == 0)) max(1, 1.8 * thick) else thick
      drawn <- pmax(drawn, pmin(pmax(radius - away + 0.5, 0), 1))
    }
  }

  array(drawn, c(dim(drawn), 3))
}
