# Simulated viewers with a known preference: do the strengths recover it, and how many
# ballots does picking save? From the root with the package installed:
#   Rscript bench/viewing.R [SIMULATIONS]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(trailingOnly = TRUE)
times <- if (length(given)) as.integer(given[1]) else 60
names <- sprintf("p%02d", 1:10)

# One viewing: pairs picked or drawn, and after each how near the strengths are to the truth.
viewing <- function(seed, pick, ballots = 300) {
  withr::with_seed(seed, {
    truth <- stats::setNames(stats::rnorm(length(names), sd = 1.5), names)
    pairs <- t(utils::combn(names, 2))
    seen <- tibble::tibble(one = character(), other = character(), share = numeric())
    near <- numeric(ballots)
    for (k in seq_len(ballots)) {
      if (pick) {
        worth <- core("pair_worth")(seen, names)
        at <- which.max(worth$worth + stats::runif(nrow(worth), 0, 1e-6))
        pair <- c(worth$one[at], worth$other[at])
      } else {
        pair <- pairs[sample(nrow(pairs), 1), ]
      }

      share <- as.numeric(
        stats::runif(1) < 1 / (1 + exp(truth[[pair[2]]] - truth[[pair[1]]]))
      )
      seen <- rbind(seen, tibble::tibble(one = pair[1], other = pair[2], share = share))
      if (k %% 5 == 0) {
        near[k] <- stats::cor(
          core("fit_strengths")(seen, names)$strength,
          truth,
          method = "spearman"
        )
      }
    }

    table <- core("strength_table")(seen, names)
    list(
      near = near[seq(5, ballots, 5)],
      covered = mean(
        table$low <= truth[table$pipeline] - mean(truth) &
          table$high >= truth[table$pipeline] - mean(truth)
      )
    )
  })
}

run <- function(pick) parallel::mclapply(seq_len(times), viewing, pick = pick, mc.cores = 2)
random <- run(FALSE)
picked <- run(TRUE)
curve <- function(some) rowMeans(vapply(some, `[[`, numeric(60), "near"))
at <- 5 * seq_len(60)

cat(
  sprintf(
    paste0(
      "rank correlation with the truth after 300 ballots: random pairs %.3f, picked %.3f (%d ",
      "viewings)\n"
    ),
    curve(random)[60],
    curve(picked)[60],
    times
  )
)

cat(
  sprintf(
    "90 %% intervals hold the truth: random %.3f, picked %.3f\n",
    mean(vapply(random, `[[`, 0, "covered")),
    mean(vapply(picked, `[[`, 0, "covered"))
  )
)

for (wanted in c(0.9, 0.93, curve(random)[60])) {
  first <- function(values) at[which(values >= wanted)[1]]
  cat(
    sprintf(
      "ballots to a mean rank correlation of %.3f: random %s, picked %s: %.2f\n",
      wanted,
      first(curve(random)),
      first(curve(picked)),
      first(curve(picked)) / first(curve(random))
    )
  )
}

# Other cases and other people: what suits a case, a take's luck and tastes differ. The truth is
# what very many cases and people would say.
worldly <- function(seed, cases, people, each) {
  withr::with_seed(seed, {
    strength <- c(a = -1, b = -0.5, c = 0, d = 0, e = 0.6, f = 0.9)
    spread <- function(n, sd) matrix(stats::rnorm(n * 6, 0, sd), n)
    by_case <- spread(cases, 0.7)
    by_person <- spread(people, 0.5)
    by_take <- spread(2 * cases, 0.5)
    person <- rep(seq_len(people), each = each)
    case <- sample(cases, length(person), TRUE)
    take <- case + cases * sample(0:1, length(person), TRUE)
    pair <- t(replicate(length(person), sample(6, 2)))
    of <- function(k) {
      own <- pair[, k]
      of_viewing <- by_case[cbind(case, own)] + by_person[cbind(person, own)]
      strength[own] + of_viewing + by_take[cbind(take, own)]
    }

    share <- as.numeric(stats::runif(length(person)) < stats::plogis(of(1) - of(2)))
    tibble::tibble(
      person = paste0("v", person),
      case = paste0("c", case),
      one = names(strength)[pair[, 1]],
      other = names(strength)[pair[, 2]],
      share = share
    )
  })
}

truth <- core("fit_strengths")(worldly(1, 3000, 3000, 12), reach = 100)$strength

for (design in list(
  c(8, 1, 100),
  c(8, 4, 40),
  c(16, 3, 60),
  c(6, 8, 30)
)) {
  held <- parallel::mclapply(
    10 + seq_len(2 * times),
    function(seed) {
      table <- core("strength_table")(worldly(seed, design[1], design[2], design[3]))
      mean(table$low <= truth[table$pipeline] & truth[table$pipeline] <= table$high)
    },
    mc.cores = 2
  )
  cat(
    sprintf(
      "90 %% intervals for other cases and people: %d cases, %d people, %d answers each: %.3f\n",
      design[1],
      design[2],
      design[3],
      mean(unlist(held))
    )
  )
}
