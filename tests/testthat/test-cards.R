# What a case's card says and marks, as data: what is drawn of it is looked at.
card_of <- function(...) {
  suite <- list(
    suite = "x",
    seeds = list(1),
    size = list(96, 64),
    cases = list(c(list(id = "a"), list(...)))
  )
  trial <- read_trial(made_up_trial(suite, env = parent.frame()))
  case <- trial$suite$cases[[1]]
  case_card(
    case,
    trial,
    inputs_by_size(case, trial),
    trial_warnings(trial)
  )
}

titles <- function(card) vapply(card$panels, `[[`, "", "title")
panel <- function(card, title) card$panels[[match(title, titles(card))]]

test_that("a card's head is the case, its job, and the prompt with what was set", {
  card <- card_of(
    job = "restyle",
    reference = "references/one.png",
    prompt = list(
      "a mill",
      list(say = "two kites", weight = 1.5, must = TRUE),
      list(say = "a boat", drafted = draft_mark("a boat")),
      list(say = "a gull", drafted = draft_mark("a tern"))
    ),
    negative = list("text", "frames")
  )
  expect_equal(card$title, "a \u2014 restyle")
  expect_equal(
    card$subtitle,
    "a mill, two kites (1.5, must), a boat (drafted), a gull \u2014 not: text, frames"
  )
  neutral <- card_of(job = "restyle", reference = "references/one.png", prompt = "neutral")
  expect_equal(neutral$subtitle, "a neutral prompt")
})

test_that("the original is shown with the window that is taken and the focus, where one decides", {
  whole <- panel(
    card_of(job = "restyle", reference = "references/one.png", prompt = "x"),
    "original"
  )
  expect_length(whole$boxes, 1)
  expect_equal(whole$boxes[[1]]$at, c(0, 0, 1, 1))
  expect_equal(whole$note, "one.png, 96 x 64, crop")
  half <- card_of(
    job = "restyle",
    reference = list(
      picture = "references/one.png",
      box = list(0, 0, 0.5, 1),
      focus = list(0.5, 0.9)
    ),
    prompt = "x"
  )
  boxes <- panel(half, "original")$boxes
  expect_length(boxes, 2)
  # The half is 48 x 64; of it 48 x 32 are taken, as low as the focus wants.
  expect_equal(boxes[[1]]$at, c(0, 0.5, 0.5, 1), tolerance = 0.02)
  expect_equal(mean(boxes[[2]]$at[c(1, 3)]), 0.5, tolerance = 0.1)
})

test_that("a window that leaves the picture is shown on that much bare ground", {
  card <- card_of(
    job = "restyle",
    reference = list(
      picture = "references/one.png",
      box = list(0.5, 0, 1.5, 1),
      fit = "extend"
    ),
    prompt = "x"
  )
  original <- panel(card, "original")
  expect_equal(dim(original$pixels)[1:2], c(64, 144))
  expect_equal(original$boxes[[1]]$at, c(1 / 3, 0, 1, 1), tolerance = 1e-6)
  expect_true(all(original$pixels[, 97:144, ] == 1))
})

test_that("masks, guides, watched regions and looks have panels that say what they are", {
  card <- card_of(
    job = "swap",
    reference = "references/one.png",
    prompt = "x",
    mask = list(boxes = list(list(0.5, 0, 1, 1)), padding = 8),
    guides = list(edges = 0.5, areas = list(weight = 1, release = 0.4)),
    watch = list(
      sail = list(box = list(0.1, 0.2, 0.3, 0.4)),
      hull = list(mask = "masks/half.png")
    )
  )
  expect_equal(
    titles(card),
    c("original", "given", "may change", "guide: edges", "guide: areas", "watched")
  )
  expect_equal(panel(card, "given")$note, "mixer plain: 96 x 64")
  expect_equal(panel(card, "guide: edges")$note, "weight 0.50")
  expect_equal(panel(card, "guide: areas")$note, "weight 1.00, lets go at 0.40")
  expect_equal(panel(card, "watched")$note, "sail, hull")
  expect_equal(panel(card, "watched")$boxes[[1]]$at, c(0.1, 0.2, 0.3, 0.4))
  masked <- panel(card, "may change")
  expect_equal(masked$boxes[[1]]$at, c(40 / 96, 0, 1, 1), tolerance = 0.02)
  # Orange lies where the engine may paint, and only there.
  one <- read_picture(picture_file(scene(1)))
  expect_equal(masked$pixels[, 1:40, ], one[, 1:40, ], tolerance = 0.02)
  expect_gt(mean(masked$pixels[, 60:90, 1] - masked$pixels[, 60:90, 3]), 0.3)
})

test_that("several references are numbered, with their weights, and a look shows its pictures", {
  card <- card_of(
    job = "blend",
    references = list("references/one.png", list(picture = "references/two.png", weight = 0.3)),
    prompt = "x"
  )
  expect_equal(
    titles(card),
    c("original 1, weight 1.00", "original 2, weight 0.30", "given 1", "given 2")
  )
  suite <- list(
    suite = "x",
    seeds = list(1),
    size = list(96, 64),
    looks = list(oils = list(pictures = list("references/two.png", "references/three.png"))),
    cases = list(list(
      id = "a",
      job = "restyle",
      reference = "references/one.png",
      prompt = "x",
      look = list(name = "oils", weight = 0.7)
    ))
  )
  trial <- read_trial(made_up_trial(suite))
  look <- look_panel(trial$suite$cases[[1]], trial$suite)
  expect_equal(
    look[c("title", "note")],
    list(title = "look: oils", note = "2 pictures, weight 0.70")
  )
  expect_equal(dim(look$pixels), c(200, 600, 3))
})

test_that("cards fill their width, and their height grows by whole rows", {
  layout <- card_layout
  card <- function(panels, warnings = 0) {
    list(panels = vector("list", panels), warnings = vector("list", warnings))
  }

  for (width in c(640, 1280, 1600)) {
    l <- layout(card(3), width)
    expect_equal(l$gap + l$columns * (l$cell + l$gap), width, tolerance = 0.02)
    expect_equal(layout(card(l$columns), width)$rows, 1)
    expect_equal(
      layout(card(l$columns + 1), width)$height - layout(card(l$columns), width)$height,
      l$row
    )
    expect_equal(layout(card(1, 2), width)$height, layout(card(1, 1), width)$height)
    expect_equal(layout(card(1, 3), width)$height - layout(card(1, 2), width)$height, l$warning)
  }
})

test_that("sheets hold what fits, in order, and one too tall gets a sheet of its own", {
  pages <- pages_of
  expect_equal(pages(c(100, 100, 100), 250), c(1, 1, 2))
  expect_equal(pages(c(900, 100), 250), c(1, 2))
  expect_equal(pages(c(100, 900, 100), 250), c(1, 2, 3))
  expect_equal(pages(numeric(), 250), numeric())
})
