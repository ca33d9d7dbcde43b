# Portraits of people who do not exist: a face is a relief that is lit from one side, with features
# painted on (standin-features.R). All are framed alike, as the cards of a game are, so that the
# stand-in engines know where a portrait has its face.

# The middle of the face and half its height, as shares of the picture's width, height and height.
card_frame <- list(x = 0.5, y = 0.53, half = 0.3)

# Where the light of every portrait comes from: left, above and in front.
portrait_light <- c(-0.46, 0.51, 0.73)

# The people of the cards, and `house`, the face that quince gives everybody. Measures are in
# halves of the face's height: `wide` (half the face), `chin` (longer), `eyes` (distance from the
# middle), `eye_size`, `eye_height` (above the middle), `brow` (thickness), `brow_tilt` (outer ends
# up), `brow_up` (above the eyes), `nose` (length), `nose_wide`, `mouth` (half its width),
# `mouth_at` (height), `lips`, `hairline`. `jaw` (square) and `age` run from 0 to 1.
card_people <- function() {
  colours <- function(code) drop(grDevices::col2rgb(code)) / 255
  list(
    ferryman = list(
      wide = 0.77, jaw = 0.85, chin = 0.02, skin = colours("#d3a084"), eyes = 0.31,
      eye_size = 0.14, eye_height = 0.11, iris = colours("#2f5a7a"), brow = 0.065,
      brow_tilt = 0.04, brow_up = 0.2, nose = 0.4, nose_wide = 0.15, mouth = 0.32,
      mouth_at = -0.5, lips = 0.07, hair = colours("#8d8a86"), hairline = 0.66, long = FALSE,
      beard = TRUE, age = 0.9, cloth = colours("#33506b")
    ),
    mistress = list(
      wide = 0.7, jaw = 0.6, chin = -0.02, skin = colours("#9c6a4c"), eyes = 0.36,
      eye_size = 0.16, eye_height = 0.13, iris = colours("#4a3320"), brow = 0.036,
      brow_tilt = 0.12, brow_up = 0.21, nose = 0.33, nose_wide = 0.11, mouth = 0.3,
      mouth_at = -0.5, lips = 0.09, hair = colours("#231a16"), hairline = 0.58, long = TRUE,
      beard = FALSE, age = 0.4, cloth = colours("#7a2f38")
    ),
    lamplighter = list(
      wide = 0.68, jaw = 0.6, chin = 0.05, skin = colours("#dcb096"), eyes = 0.29,
      eye_size = 0.16, eye_height = 0.14, iris = colours("#4f6b3a"), brow = 0.04,
      brow_tilt = -0.05, brow_up = 0.17, nose = 0.44, nose_wide = 0.11, mouth = 0.26,
      mouth_at = -0.53, lips = 0.06, hair = colours("#7a3a1e"), hairline = 0.5, long = FALSE,
      beard = FALSE, age = 0.1, cloth = colours("#56603a")
    ),
    raker = list(
      wide = 0.8, jaw = 0.95, chin = -0.04, skin = colours("#6b452f"), eyes = 0.37,
      eye_size = 0.15, eye_height = 0.09, iris = colours("#38261a"), brow = 0.05,
      brow_tilt = 0, brow_up = 0.18, nose = 0.34, nose_wide = 0.17, mouth = 0.36,
      mouth_at = -0.48, lips = 0.09, hair = colours("#191513"), hairline = 0.7, long = FALSE,
      beard = FALSE, age = 0.7, cloth = colours("#b7a98f")
    ),
    house = list(
      wide = 0.66, jaw = 0.35, chin = 0, skin = colours("#d8a98d"), eyes = 0.28,
      eye_size = 0.15, eye_height = 0.06, iris = colours("#3b6a8f"), brow = 0.03,
      brow_tilt = 0.02, brow_up = 0.24, nose = 0.3, nose_wide = 0.09, mouth = 0.27,
      mouth_at = -0.46, lips = 0.08, hair = colours("#c9ad6e"), hairline = 0.62, long = FALSE,
      beard = FALSE, age = 0, cloth = colours("#4a4a58")
    )
  )
}

# A portrait as a picture of the given size. `smile` runs from 0 (none) to 1.2 (broad). The seed
# moves the ground, the hair and the grain.
draw_portrait <- function(person, width, height, seed, smile = 0) {
  with_drawing_seed(seed, {
    ground <- soften(draw_land(height, width, 0.4, land = FALSE), width / 40)
    on <- face_plan(person, width, height)
    light_scene(paint_person(ground, on, person, smile))
  })
}

paint_person <- function(picture, on, person, smile) {
  hair <- hair_colours(on, person)
  picture <- paint_body(picture, on, person)
  picture <- draw_mix(picture, clamp(0.85 * hair), hair_behind(on, person))
  if (!person$long) {
    ears <- soft_step(0.1 - sqrt((abs(on$x) - person$wide)^2 + (0.5 * on$y)^2), 0.01)
    picture <- draw_mix(picture, plain_colour(on, person$skin * c(0.85, 0.75, 0.72)), ears)
  }

  picture <- draw_mix(picture, paint_face(on, person, smile), on$face)
  line <- person$hairline + 0.1 * cos(4 * on$x + 1) - 0.32 * pmin(1, abs(on$x) / 0.62)^3
  draw_mix(picture, hair, soft_step(on$y - line, 0.03) * soft_step(1 - on$crown, 0.02))
}

# The face alone, as wide as the picture: skin, features, light, eyes.
paint_face <- function(on, person, smile) {
  lit <- face_light(on, person, smile)
  face <- paint_skin(on, person)
  face <- paint_brows(face, on, person)
  face <- paint_mouth(face, on, person, smile)
  face <- paint_nostrils(face, on, person)
  face <- paint_age(face, on, person)
  if (person$beard) {
    face <- paint_beard(face, on, person)
  }

  face <- clamp(face * c(lit$shade) + c(lit$shine))
  paint_eyes(face, on, person, smile, lit)
}

# Every pixel's place in halves of the face's height, y upwards: `x` from the middle, `across` the
# face (-1 and 1 at its edges), `face` how far it covers, `crown` below 1 inside the hair.
face_plan <- function(person, width, height) {
  half <- card_frame$half * height
  x <- matrix(rep(seq_len(width) - 0.5, each = height), height)
  y <- matrix(rep(height - seq_len(height) + 0.5, width), height)
  x <- (x - card_frame$x * width) / half
  y <- (y - card_frame$y * height) / half
  above <- sqrt(pmax(0, 1 - (y / 1.08)^2))
  below <- sqrt(pmax(0, 1 - (pmax(0, -y) / (1 + person$chin))^(2 + 2 * person$jaw)))
  wide <- person$wide * ifelse(y > 0, above, below)
  across <- x / pmax(wide, 0.02)
  list(
    x = x,
    y = y,
    across = across,
    face = soft_step((1 - abs(across)) * pmax(wide, 0.02), 0.008) * (wide > 0.02),
    crown = sqrt((x / (1.13 * person$wide))^2 + ((y - 0.1) / 1.06)^2),
    half = half
  )
}

# 0 well below 0, 1 well above, over so much.
soft_step <- function(x, over) 1 / (1 + exp(-x / over))

# A hill around 0, so wide and so high.
hill <- function(x, y, wide, high) exp(-(x / wide)^2 - (y / high)^2)

plain_colour <- function(on, colour) array(rep(colour, each = length(on$x)), c(dim(on$x), 3))

lay_colour <- function(picture, on, colour, cover) {
  draw_mix(picture, plain_colour(on, colour), clamp(cover))
}

# How light every place of the face is, and where it shines, from the slopes of its relief.
face_light <- function(on, person, smile) {
  relief <- face_relief(on, person, smile)
  rows <- nrow(relief)
  columns <- ncol(relief)
  aside <- -on$half * (cbind(relief[, -1], relief[, columns]) - relief)
  up <- -on$half * (rbind(relief[1, ], relief[-rows, ]) - relief)
  steep <- sqrt(aside^2 + up^2 + 1)
  facing <- function(way) pmax(0, (aside * way[1] + up * way[2] + way[3]) / steep)
  lit <- facing(portrait_light)
  list(lit = lit, shade = 0.42 + 0.68 * lit, shine = 0.16 * facing(c(-0.25, 0.3, 0.92))^40)
}

face_relief <- function(on, person, smile) {
  aside <- abs(on$x)
  y <- on$y
  eyes <- aside - person$eyes
  tip <- nose_tip(person)
  round <- sqrt(pmax(0, 1 - pmin(1, on$across^2))) * sqrt(pmax(0, 1 - pmin(1, (y / 1.15)^2)))
  down_the_nose <- pmin(1, pmax(0, person$eye_height - y) / person$nose)
  ridge <- exp(-(on$x / (0.07 + 0.05 * down_the_nose))^2)
  nose <- (0.25 + 0.75 * down_the_nose) *
    ridge *
    soft_step(y - tip + 0.02, 0.025) *
    soft_step(person$eye_height + 0.15 - y, 0.06)
  mouth <- mouth_lines(on, person, smile)
  0.75 * round -
    0.1 * hill(eyes, y - person$eye_height, 0.2, 0.13) +
    0.05 * hill(eyes, y - person$eye_height - 0.19, 0.22, 0.06) +
    0.2 * nose +
    0.07 * hill(aside - person$nose_wide, y - tip - 0.03, 0.06, 0.06) +
    0.06 * (1 + 1.2 * smile) * hill(aside - 0.42, y + 0.12 - 0.06 * smile, 0.2, 0.17) +
    0.05 * hill(on$x, y - mouth$line, 0.9 * mouth$half, 1.3 * person$lips) +
    0.06 * hill(on$x, y + 0.82, 0.18, 0.12)
}

nose_tip <- function(person) person$eye_height - person$nose

# Neck, shoulders and what is worn.
paint_body <- function(picture, on, person) {
  neck <- 0.62 * person$wide
  cover <- soft_step(neck - abs(on$x), 0.01) * soft_step(-0.45 - on$y, 0.02)
  lit <- (0.75 - 0.27 * on$x / neck) * (0.45 + 0.55 * soft_step(-1 - on$y, 0.12))
  picture <- draw_mix(picture, plain_colour(on, person$skin) * c(clamp(lit)), cover)
  aside <- abs(on$x)
  shoulder <- -1.28 - 0.42 * (aside / 1.5)^2.2 - 0.16 * soft_step(0.34 - aside, 0.04)
  cover <- soft_step(shoulder - on$y, 0.012) * soft_step(1.75 - aside, 0.05)
  folds <- 1 + 0.08 * fractal_noise(nrow(aside), ncol(aside), on$half / 5, 3)
  draw_mix(
    picture,
    clamp(plain_colour(on, person$cloth) * c((0.8 - 0.2 * on$x) * folds)),
    cover
  )
}

hair_behind <- function(on, person) {
  cover <- soft_step(1 - on$crown, 0.02) * soft_step(on$y + 0.05, 0.1)
  if (!person$long) {
    return(cover)
  }

  falls <- soft_step(1.15 * person$wide - abs(on$x) - 0.1 * sin(3 * on$y), 0.02) *
    soft_step(on$y + 1.25, 0.05) *
    soft_step(0.3 - on$y, 0.05)
  pmax(cover, falls)
}

hair_colours <- function(on, person) {
  rows <- nrow(on$x)
  columns <- ncol(on$x)
  strands <- 0.75 +
    0.3 * smooth_noise(rows, columns, on$half / 3, 2.5) +
    0.25 * smooth_noise(rows, columns, on$half, 6) +
    0.35 * hill(on$x + 0.3, on$y - 0.75, 0.35, 0.25)
  clamp(plain_colour(on, person$hair) * c(strands))
}
