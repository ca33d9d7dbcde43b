# Keypoints: read as they were written, placed where the reference is, drawn as
# figures that can be told apart.
standing <- list(
  nose = c(100, 20),
  left_shoulder = c(85, 50),
  right_shoulder = c(115, 50),
  left_elbow = c(75, 80),
  right_elbow = c(125, 80),
  left_wrist = c(70, 110),
  right_wrist = c(130, 110),
  left_hip = c(90, 110),
  right_hip = c(110, 110),
  left_knee = c(88, 145),
  right_knee = c(112, 145),
  left_ankle = c(86, 180),
  right_ankle = c(114, 180)
)

pose_file <- function(figures, width = 200, height = 200, digits = NA, env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ".json", .local_envir = env)
  writeLines(
    jsonlite::toJSON(
      list(width = width, height = height, figures = figures),
      auto_unbox = TRUE,
      digits = digits
    ),
    file
  )
  file
}

read <- read_keypoints
drawn <- function(figures, size) draw_figures(figures, size)[, , 1]
in_pixels <- function(figure, size = c(200, 200)) list(do.call(rbind, figure))

test_that("a pose is known by where its joints are, not by how the file is written", {
  plain <- read(pose_file(list(standing)))
  expect_equal(read(pose_file(list(rev(standing))))$hash, plain$hash)
  doubled <- lapply(standing, `*`, 2)
  expect_equal(read(pose_file(list(doubled), 400, 400))$hash, plain$hash)
  moved <- utils::modifyList(standing, list(nose = c(101, 20)))
  expect_false(read(pose_file(list(moved)))$hash == plain$hash)
  expect_false(read(pose_file(list(standing, standing)))$hash == plain$hash)
})

test_that("joints beyond the picture are kept, and those that are no numbers refused", {
  out <- read(pose_file(list(list(nose = c(-20, 50)))))
  expect_equal(unname(out$figures[[1]]["nose", ]), c(-0.1, 0.25))
  for (at in list(list("a", 1), list(1, 2, 3), list(), NULL)) {
    file <- withr::local_tempfile(
      lines = as.character(
        jsonlite::toJSON(
          list(width = 9, height = 9, figures = list(list(nose = at))),
          auto_unbox = TRUE,
          null = "null"
        )
      )
    )
    expect_error(read(file), "not \\[x, y\\]", class = "sprenn_error_picture")
  }
})

test_that("files that are no keypoints are refused by what is wrong with them", {
  refused <- function(text, found) {
    file <- withr::local_tempfile()
    if (is.raw(text)) {
      writeBin(text, file)
    } else {
      writeLines(text, file)
    }

    expect_error(read(file), found, class = "sprenn_error_picture")
  }

  refused(as.raw(c(0xff, 0xfe, 0x41, 0x00)), "no JSON")
  refused('[{"nose": [1, 2]}]', "no JSON object")
  refused('{"width": 0, "height": 9, "figures": [{"nose": [1, 2]}]}', "no width and height")
  refused('{"width": "9", "height": 9, "figures": [{"nose": [1, 2]}]}', "no width and height")
  refused('{"width": 1e9, "height": 9, "figures": [{"nose": [1, 2]}]}', "no width and height")
  refused('{"width": 9, "height": 9, "figures": {"nose": [1, 2]}}', "no figures")
  refused('{"width": 9, "height": 9, "figures": [[]]}', "without joints")
  expect_error(
    read(file.path(tempdir(), "gone.json")),
    "no such file",
    class = "sprenn_error_picture"
  )
  expect_error(read(tempdir()), "no such file", class = "sprenn_error_picture")
  long <- withr::local_tempfile()
  writeBin(raw(5e6 + 1), long)
  expect_error(read(long), "more than 5 MB", class = "sprenn_error_picture")
})

test_that("a figure goes where its reference goes: cropped, padded, grown, at a working size", {
  figures <- list(rbind(nose = c(0.5, 0.5)))
  place <- function(
    reference = list(),
    own = c(200, 100),
    size = c(100, 100),
    grow = rep(0, 4),
    work = size
  ) {
    reference <- utils::modifyList(
      list(path = "p", fit = "crop", focus = c(0.5, 0.5), box = c(0, 0, 1, 1)),
      reference
    )
    case <- list(reference = reference, grow = grow)
    unname(
      place_figures(
        figures,
        reference,
        case,
        list(size = as.integer(size), files = list(p = list(size = own))),
        work
      )[[1]][
        "nose",
      ]
    )
  }

  expect_equal(place(), c(50, 50))
  # All of the left of a wide picture: its middle is at the right edge.
  expect_equal(place(list(focus = c(0, 0.5))), c(100, 50))
  expect_equal(place(list(fit = "pad")), c(50, 50))
  expect_equal(place(list(box = c(0.5, 0, 1, 1))), c(0, 50))
  expect_equal(place(list(fit = "stretch"), work = c(200, 300)), c(100, 150))
  expect_equal(place(grow = c(0.5, 0, 0, 0), work = c(150, 100)), c(100, 50))
})

test_that("limbs run between their joints, and nothing is drawn elsewhere", {
  size <- c(200, 200)
  picture <- drawn(in_pixels(standing), size)
  middle <- function(a, b) round((standing[[a]] + standing[[b]]) / 2)
  for (limb in limbs) {
    if (!all(limb %in% names(standing))) {
      next
    }

    at <- middle(limb[1], limb[2])
    expect_gt(picture[at[2], at[1]], 0.4)
  }

  # Between the legs, beside the head, in the corners.
  for (at in list(c(100, 160), c(140, 20), c(3, 3), c(197, 197))) {
    expect_equal(picture[at[2], at[1]], 0)
  }

  expect_lt(mean(picture > 0), 0.12)
})

test_that("a lone joint is a dot, a missing one drops its limbs, one outside draws nothing", {
  size <- c(64, 48)
  dot <- drawn(in_pixels(list(nose = c(30, 20))), size)
  expect_equal(dot[20, 30], 1)
  expect_lt(sum(dot > 0), 40)
  bare <- standing[setdiff(names(standing), c("left_knee"))]
  expect_equal(drawn(in_pixels(bare), c(200, 200))[145, 88], 0)
  expect_equal(sum(drawn(in_pixels(list(nose = c(900, 900))), size)), 0)
  expect_equal(sum(drawn(list(), size)), 0)
})

test_that("small figures are drawn thinner, so that they stay figures", {
  size <- c(400, 400)
  cover <- function(scale) {
    figure <- lapply(standing, function(at) 100 + at * scale)
    sum(drawn(in_pixels(figure), size) > 0.5) / scale^2
  }

  expect_lt(cover(0.25) / cover(1), 2.5)
})
