# Tables: made by columns or rows, taken apart, changed and printed.

test_that("columns are recycled, spliced in, left out if NULL, and may use those before", {
  table <- new_table(a = 1:3, b = a * 2, data.frame(c = letters[1:3]), none = NULL, d = "x")
  expect_equal(as.list(table), list(a = 1:3, b = c(2, 4, 6), c = letters[1:3], d = rep("x", 3)))
  expect_equal(dim(new_table(a = character(), b = "x")), c(0, 2))
  expect_equal(dim(new_table()), c(0, 0))
  expect_error(new_table(a = 1:2, b = 1:3), "different lengths: a 2, b 3")
})

test_that("a table is given row by row, with lists where a cell is more than one value", {
  table <- table_by_row(~name, ~value, ~more, "a", 1, NULL, "b", NA, 1:2)
  expect_equal(table$name, c("a", "b"))
  expect_equal(table$value, c(1, NA))
  expect_equal(table$more, list(NULL, 1:2))
})

test_that("a part of a table is a table, whatever its size", {
  table <- new_table(a = 1:3, b = c("x", "y", "x"), l = list(1, 2:3, NULL))
  expect_s3_class(table[, "a"], "sprenn_table")
  expect_equal(as.list(table[2, ]), list(a = 2L, b = "y", l = list(2:3)))
  expect_equal(table[c(1, 1), "a", drop = TRUE], c(1, 1))
  expect_equal(attr(table[c(3, 1), ], "row.names"), 1:2)
  expect_equal(dim(table[table$a > 9, c("a", "b")]), c(0, 2))
  expect_error(table[c("a", "z")], "no column z")
  expect_null(new_table(states = 1)$state)
  expect_equal(vapply(split(table, table$b), nrow, 0L), c(x = 2, y = 1))
  expect_s3_class(rbind(table, table[0, ]), "sprenn_table")
})

test_that("one value fills a column, also one without rows", {
  table <- new_table(a = integer())
  table$b <- "x"
  table[["c"]] <- 1
  table[c("d", "e")] <- list(NA, list(NULL))
  expect_equal(dim(table), c(0, 5))
  table <- new_table(a = 1:2, b = "x")
  table[table$a == 2, "b"] <- "y"
  table$a <- NULL
  table[] <- lapply(table, toupper)
  expect_equal(as.list(table), list(b = c("X", "Y")))
})

test_that("a table is printed as a tibble", {
  table <- new_table(a = 1:30, b = "x")
  expect_output(print(table), "20 more rows")
  expect_output(print(table, n = 30), "30 +30 x")
})
