# The pages of a contact sheet: what stands on them, and in which order.

test_that("pipelines stand by worth, the chosen one first, those of an engine together", {
  table <- as_table(data.frame(pipeline = c("a", "b", "c", "d"), case = "one", seed = 1L))
  recipes <- as_table(data.frame(
    pipeline = c("a", "b", "c", "d"),
    engine = c("yarrow", "bracken", "yarrow", "sorrel"),
    sweep = NA_character_,
    shown = 1L
  ))
  verdict <- list(recipes = recipes, pipelines = data.frame(pipeline = c("c", "b", "a")))
  columns <- ranked_pipeline_columns(table, recipes, verdict)$columns
  # One that was not ranked comes last.
  expect_equal(columns$title, c("c", "a", "b", "d"))
  expect_equal(columns$group, c("yarrow", "yarrow", "bracken", "sorrel"))
})

test_that("no letter of a name is left out, however long it is", {
  for (name in c(
    "yarrow", "yarrow-guided/guides.kind=soft_edges", strrep("verylong", 20), "a/b=1,c.d=0.25",
    "two words here", "_", "p/hold=0.2,look.weight=1.6,guides.kind=areas"
  )) {
    for (most in c(60, 120, 400)) {
      lines <- heading_lines(name, most)
      expect_equal(gsub(" ", "", paste(lines, collapse = "")), gsub(" ", "", name))
      expect_true(all(nchar(lines) <= max(4, most %/% heading_letter)))
    }
  }
  # What a sweep varies begins a line of its own.
  expect_equal(heading_lines("yarrow/hold=0.8", 400), c("yarrow/", "hold=0.8"))
})

# A grid of so many rows and columns, of pictures of this shape.
made_up_grid <- function(rows, columns, frame = c(3, 2)) {
  list(
    columns = data.frame(title = paste0("p", seq_len(columns)), colour = "#000000"),
    rows = lapply(seq_len(rows), function(i) {
      cells <- lapply(seq_len(columns), function(k) list(of = paste(i, k)))
      list(case = paste0("c", i), frame = frame, reference = 1, look = NULL, cells = cells)
    })
  )
}

cells_on <- function(page) unlist(lapply(page$rows, function(row) unlist(row$cells)))

test_that("a page fits a screen, and every take stands on one of them", {
  grid <- made_up_grid(23, 31)
  pages <- sheet_pages(grid, 1600, NULL, NULL)
  heights <- vapply(pages, function(page) page$layout$height, 0)
  expect_lte(max(heights), page_height + page_gap)
  expect_gte(min(vapply(pages, function(page) page$layout$cell, 0)), least_cell)
  cells <- unlist(lapply(pages, cells_on))
  expect_setequal(cells, as.vector(outer(1:23, 1:31, paste)))
  expect_equal(anyDuplicated(cells), 0)
  # All cases of the first columns come before those of the next.
  first <- which(vapply(pages, function(page) page$columns$title[1] == "p1", NA))
  expect_equal(first, seq_along(first))
  expect_gt(length(first), 1)
  # Columns are spread evenly.
  widths <- vapply(pages, function(page) nrow(page$columns), 0L)
  expect_lte(diff(range(widths)), 1 + 31 %% max(widths))
})

test_that("rows and columns of a page can be asked for; a picture too tall has a page of its own", {
  grid <- made_up_grid(5, 4)
  count <- function(pages) {
    vapply(pages, function(page) c(length(page$rows), nrow(page$columns)), c(0, 0))
  }
  expect_equal(count(sheet_pages(grid, 900, 2, 4))[1, ], c(2, 2, 1))
  expect_equal(unique(count(sheet_pages(grid, 900, 5, 2))[2, ]), 2)
  # Wider than the page has room for at the usual size.
  expect_equal(nrow(sheet_pages(grid, 500, 5, 4)[[1]]$columns), 4)
  tall <- sheet_pages(made_up_grid(2, 1, c(1, 30)), 700, NULL, NULL)
  expect_length(tall, 2)
})

test_that("a case without a take in some columns is left out beside them", {
  grid <- made_up_grid(2, 4)
  grid$rows[[2]]$cells[3:4] <- list(NULL)
  pages <- sheet_pages(grid, 900, 5, 2)
  expect_equal(vapply(pages, function(page) length(page$rows), 0L), c(2, 1))
})
