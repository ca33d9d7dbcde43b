# From what outside models said of pictures to evidence: numbers in, numbers out.

# An answering judge is asked whether a statement holds (`yes`, its probability) and
# whether its opposite does (`no`). The mean of both ways is the evidence; one who agrees
# with both, or with neither, has said nothing.
answered_score <- function(yes, no) {
  value <- (yes + 1 - no) / 2
  ifelse(abs(yes + no - 1) > contradiction, NA_real_, pmin(1, pmax(0, value)))
}

contradiction <- 0.5

# An embedding judge: how much oftener than by chance the phrase lies nearer to the picture
# than a decoy does (`value`: 0 no oftener than every second time, 1 always), and by how
# many of the decoys' own spreads it lies nearer than they do on average
# (`raw`). `picture` is a vector, `phrase` too, and
# `decoys` a matrix with a row each. NULL where there are too few.
embedded_score <- function(picture, phrase, decoys) {
  if (NROW(decoys) < fewest_decoys) {
    return(NULL)
  }

  near <- cosine(decoys, picture)
  own <- cosine(matrix(phrase, 1), picture)
  nearer <- mean((own > near) + 0.5 * (own == near))
  list(
    value = max(0, 2 * nearer - 1),
    raw = (own - mean(near)) / max(stats::sd(near), 1e-6)
  )
}

fewest_decoys <- 4

cosine <- function(rows, vector) {
  drop(rows %*% vector) / pmax(sqrt(rowSums(rows^2)) * sqrt(sum(vector^2)), 1e-12)
}

# Finds phrases that have nothing to do with a case: none is one of its own, nor shares a
# word of four letters or more with it. All `phrases` are taken apart once; what is returned
# is asked with a case's `own` texts, and gives at most `most`, spread over all.
decoy_finder <- function(phrases, most = 24) {
  telling <- function(texts) {
    words <- strsplit(tolower(texts), "[^[:alnum:]]+")
    data.frame(text = rep(seq_along(texts), lengths(words)), word = as.character(unlist(words)))
  }

  phrases <- unique(phrases)
  words <- telling(phrases)
  words <- words[nchar(words$word) >= 4, ]
  function(own) {
    taken <- words$text[words$word %in% telling(own)$word]
    free <- setdiff(phrases[!seq_along(phrases) %in% taken], own)
    if (length(free) > most) {
      free[round(seq(1, length(free), length.out = most))]
    } else {
      free
    }
  }
}

# How alike two sets of figures stand: for every figure of the reference the best of the
# take's, by object keypoint similarity (Lin et al. 2014, with their spread of each
# joint): 1 joint on joint, 0 far off. A figure is a list of joints by name, each x and y
# in the same unit. NA where the reference has none.
pose_likeness <- function(take, reference) {
  if (length(reference) == 0) {
    return(NA_real_)
  }

  if (length(take) == 0) {
    return(0)
  }

  alike <- function(one, other) {
    joints <- intersect(names(joint_spread), names(one))
    at <- do.call(rbind, one[joints])
    size <- max(sqrt(prod(apply(at, 2, function(x) diff(range(x))))), 1e-3)
    mean(
      vapply(
        joints,
        function(joint) {
          if (is.null(other[[joint]])) {
            0
          } else {
            exp(
              -sum((one[[joint]] - other[[joint]])^2) /
                (2 * (2 * joint_spread[[joint]] * size)^2)
            )
          }
        },
        0
      )
    )
  }

  table <- outer(
    seq_along(reference),
    seq_along(take),
    Vectorize(function(i, j) alike(reference[[i]], take[[j]]))
  )
  # Nobody stands in two places.
  pairs <- best_pairs(table)
  sum(table[pairs]) / length(reference)
}

# Pairs of a row and a column, the best first, each row and column once: a matrix of two columns.
best_pairs <- function(table) {
  pairs <- matrix(0L, 0, 2)
  for (k in seq_len(min(dim(table)))) {
    best <- arrayInd(which.max(table), dim(table))
    pairs <- rbind(pairs, best)
    table[best[1], ] <- -Inf
    table[, best[2]] <- -Inf
  }

  pairs
}

joint_spread <- c(
  nose = 0.026,
  left_eye = 0.025,
  right_eye = 0.025,
  left_ear = 0.035,
  right_ear = 0.035,
  left_shoulder = 0.079,
  right_shoulder = 0.079,
  left_elbow = 0.072,
  right_elbow = 0.072,
  left_wrist = 0.062,
  right_wrist = 0.062,
  left_hip = 0.107,
  right_hip = 0.107,
  left_knee = 0.087,
  right_knee = 0.087,
  left_ankle = 0.089,
  right_ankle = 0.089
)

# Whether what is near in one picture is near in the other: rank correlation of two maps
# of the same shape.
depth_likeness <- function(take, reference) {
  suppressWarnings(stats::cor(c(take), c(reference), method = "spearman"))
}

# Which phrases have evidence, from whom, and whether those agree.

# `takes`, `scores` and `phrases` as axis_table() has them. A row for each phrase of each
# case: `case`, `phrase`, `weight`, `sources` (their names), `takes` (how many were made),
# `covered` (the share of them with evidence), `value` (its mean), `apart` (by how much
# sources differ on one take, on average; NA with fewer than two) and `conflict` (the share
# of takes on which one says it is there and another that it is not).
evidence_table <- function(takes, scores, phrases) {
  made <- takes[takes$state == "made", ]
  scores <- scores[scores$axis == "adherence" &
    !is.na(scores$value) &
    scores$take %in% made$take, ]
  scores$case <- made$case[match(scores$take, made$take)]
  evidence <- phrase_evidence(made, scores, phrases)
  rows <- lapply(seq_len(nrow(phrases)), function(i) {
    own <- scores[scores$case == phrases$case[i] & scores$phrase == phrases$phrase[i], ]
    merged <- evidence[evidence$asked == i, ]
    several <- merged$sources > 1
    many <- sum(made$case == phrases$case[i])
    new_table(
      case = phrases$case[i],
      phrase = phrases$phrase[i],
      weight = phrases$weight[i],
      sources = listed(unique(own$measure)),
      takes = many,
      covered = if (many > 0) nrow(merged) / many else 0,
      value = if (nrow(merged)) mean(merged$value) else NA_real_,
      apart = if (any(several)) mean(merged$apart[several]) else NA_real_,
      conflict = if (any(several)) mean(merged$apart[several] > 0.5) else NA_real_
    )
  })
  do.call(rbind, rows)
}

# How far two sources agree on the phrases that both judged on: how many those were, the
# rank correlation of what they said, and how often they were on different sides.
source_agreement <- function(scores) {
  scores <- scores[scores$axis == "adherence" & !is.na(scores$value), ]
  names <- unique(scores$measure)
  if (length(names) < 2) {
    return(new_table(
      one = character(),
      other = character(),
      both = integer(),
      agreement = numeric(),
      opposed = numeric()
    ))
  }

  key <- paste(scores$take, scores$phrase, sep = "\r")
  pairs <- utils::combn(sort(names), 2)
  rows <- lapply(seq_len(ncol(pairs)), function(k) {
    a <- scores$measure == pairs[1, k]
    b <- scores$measure == pairs[2, k]
    at <- match(key[a], key[b])
    x <- scores$value[a][!is.na(at)]
    y <- scores$value[b][at[!is.na(at)]]
    varied <- length(x) > 2 && stats::sd(x) > 0 && stats::sd(y) > 0
    new_table(
      one = pairs[1, k],
      other = pairs[2, k],
      both = length(x),
      agreement = if (varied) stats::cor(x, y, method = "spearman") else NA_real_,
      opposed = if (length(x)) mean((x > 0.5) != (y > 0.5)) else NA_real_
    )
  })
  table <- do.call(rbind, rows)
  table[table$both > 0, ]
}
