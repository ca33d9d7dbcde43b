# JSONPath and JSON Pointer: the examples of RFC 9535 and RFC 6901.

find_as_json <- function(path, document) {
  found <- find_by_path(jsonlite::parse_json(document), read_path(path))
  as.character(jsonlite::toJSON(found, auto_unbox = TRUE, null = "null", digits = NA))
}

expect_found <- function(document, ...) {
  wanted <- c(...)
  expect_equal(vapply(names(wanted), find_as_json, "", document), wanted)
}

bookstore <- '{"store": {"book": [
  {"category": "reference", "author": "Nigel Rees", "title": "Sayings of the Century",
   "price": 8.95},
  {"category": "fiction", "author": "Evelyn Waugh", "title": "Sword of Honour", "price": 12.99},
  {"category": "fiction", "author": "Herman Melville", "title": "Moby Dick",
   "isbn": "0-553-21311-3", "price": 8.99},
  {"category": "fiction", "author": "J. R. R. Tolkien", "title": "The Lord of the Rings",
   "isbn": "0-395-19395-8", "price": 22.99}],
  "bicycle": {"color": "red", "price": 399}}}'

test_that("paths find what the RFC's table of examples says", {
  authors <- '["Nigel Rees","Evelyn Waugh","Herman Melville","J. R. R. Tolkien"]'
  expect_found(
    bookstore,
    "$.store.book[*].author" = authors,
    "$..author" = authors,
    "$.store..price" = "[8.95,12.99,8.99,22.99,399]",
    "$..book[2].author" = '["Herman Melville"]',
    "$..book[2].publisher" = "[]",
    "$..book[-1].title" = '["The Lord of the Rings"]',
    "$..book[0,1].title" = '["Sayings of the Century","Sword of Honour"]',
    "$..book[:2].title" = '["Sayings of the Century","Sword of Honour"]',
    "$..book[?@.isbn].title" = '["Moby Dick","The Lord of the Rings"]',
    "$..book[?@.price<10].title" = '["Sayings of the Century","Moby Dick"]'
  )
  document <- jsonlite::parse_json(bookstore)
  expect_length(find_by_path(document, read_path("$.store.*")), 2)
  expect_length(find_by_path(document, read_path("$..*")), 27)
})

test_that("names, indices and slices select as in the RFC", {
  expect_found(
    '{"o": {"j j": {"k.k": 3}}, "\'": {"@": 2}}',
    "$.o['j j']" = '[{"k.k":3}]',
    "$.o['j j']['k.k']" = "[3]",
    "$.o[\"j j\"][\"k.k\"]" = "[3]",
    "$[\"'\"][\"@\"]" = "[2]",
    "$['\\''][ '\\u0040' ]" = "[2]"
  )
  expect_found('{"\\ud83d\\ude00": 1}', "$['\\uD83D\\uDE00']" = "[1]")
  expect_found(
    '["a", "b", "c", "d", "e", "f", "g"]',
    "$[1]" = '["b"]',
    "$[-2]" = '["f"]',
    "$[9]" = "[]",
    "$[1:3]" = '["b","c"]',
    "$[5:]" = '["f","g"]',
    "$[1:5:2]" = '["b","d"]',
    "$[5:1:-2]" = '["f","d"]',
    "$[::-1]" = '["g","f","e","d","c","b","a"]',
    "$[::0]" = "[]",
    "$[0, 3]" = '["a","d"]',
    "$[0:2, 5]" = '["a","b","f"]',
    "$[0,0]" = '["a","a"]'
  )
  expect_found(
    '{"o": {"j": 1, "k": 2}, "a": [5, 3, [{"j": 4}, {"k": 6}]]}',
    "$..j" = "[1,4]",
    "$..[0]" = '[5,{"j":4}]',
    "$..o" = '[{"j":1,"k":2}]',
    "$.a..[0, 1]" = '[5,3,{"j":4},{"k":6}]'
  )
})

test_that("null is a value, and nothing is none", {
  expect_found(
    '{"a": null, "b": [null], "c": [{}], "null": 1}',
    "$.a" = "[null]",
    "$.a[0]" = "[]",
    "$.a.d" = "[]",
    "$.b[0]" = "[null]",
    "$.b[*]" = "[null]",
    "$.b[?@]" = "[null]",
    "$.b[?@==null]" = "[null]",
    "$.c[?@.d==null]" = "[]",
    "$.null" = "[1]"
  )
})

test_that("filters compare as the RFC's table says", {
  truth <- function(test) {
    find_as_json(paste0("$[?", test, "]"), '{"obj": {"x": "y"}, "arr": [2, 3]}') != "[]"
  }
  expect_true(all(vapply(
    c(
      "$.absent1 == $.absent2", "$.absent1 <= $.absent2", "$.absent != 'g'", "1 <= 2",
      "'a' <= 'b'", "$.obj != $.arr", "$.obj == $.obj", "$.arr == $.arr", "$.obj != 17",
      "$.obj <= $.obj", "$.arr <= $.arr", "true <= true"
    ),
    truth,
    NA
  )))
  expect_false(any(vapply(
    c(
      "$.absent == 'g'", "$.absent1 != $.absent2", "1 > 2", "13 == '13'", "'a' > 'b'",
      "$.obj == $.arr", "$.obj != $.obj", "$.arr != $.arr", "$.obj == 17", "$.obj <= $.arr",
      "$.obj < $.arr", "1 <= $.arr", "1 >= $.arr", "1 > $.arr", "1 < $.arr", "true > true"
    ),
    truth,
    NA
  )))
})

test_that("filters select as in the RFC, with its functions", {
  expect_found(
    '{"a": [3, 5, 1, 2, 4, 6, {"b": "j"}, {"b": "k"}, {"b": {}}, {"b": "kilo"}],
      "o": {"p": 1, "q": 2, "r": 3, "s": 5, "t": {"u": 6}}, "e": "f"}',
    "$.a[?@.b == 'kilo']" = '[{"b":"kilo"}]',
    "$.a[?(@.b == 'kilo')]" = '[{"b":"kilo"}]',
    "$.a[?@>3.5]" = "[5,4,6]",
    "$.a[?@.b]" = '[{"b":"j"},{"b":"k"},{"b":{}},{"b":"kilo"}]',
    "$.o[?@<3, ?@<3]" = "[1,2,1,2]",
    "$.a[?@<2 || @.b == \"k\"]" = '[1,{"b":"k"}]',
    "$.a[?match(@.b, \"[jk]\")]" = '[{"b":"j"},{"b":"k"}]',
    "$.a[?search(@.b, \"[jk]\")]" = '[{"b":"j"},{"b":"k"},{"b":"kilo"}]',
    "$.o[?@>1 && @<4]" = "[2,3]",
    "$.o[?@.u || @.x]" = '[{"u":6}]',
    "$.a[?@.b == $.x]" = "[3,5,1,2,4,6]",
    "$.a[?!@.b && @ < 2.5e0]" = "[1,2]",
    "$.a[?length(@.b) == 4]" = '[{"b":"kilo"}]',
    "$[?count(@.*) > 5][?@ == 3]" = "[3]",
    "$.a[?value(@..b) == 'j']" = '[{"b":"j"}]'
  )
  # A dot stands for all but the ends of lines.
  expect_found('["a\\nb", "a.b"]', "$[?match(@, 'a.b')]" = '["a.b"]')
})

test_that("what is no path is told with its place", {
  for (wrong in c(
    "", "a", "$.", "$a", "$[01]", "$[-0]", "$['a]", "$['\\x']", "$['\\ud83d']", "$[]", "$[1,]",
    "$ ", "$..", "$[?]", "$[?true]", "$[?@.a=1]", "$[?@.a == @.*]", "$[?length(@.*) < 3]",
    "$[?count(1) == 1]", "$[?match(@.t, 'x') == true]", "$[?value(@..c)]", "$[?!@.a == 1]",
    "$[9007199254740992]", "$[?nothing(@)]", "$[?@.a == 01]"
  )) {
    expect_error(read_path(wrong), class = "sprenn_error_path")
  }
  expect_error(read_path("$.a["), "expected a name in quotes, .* at letter 5, found its end")
})

test_that("a path can't be made to look at a document without end", {
  deep <- Reduce(function(inner, k) list(a = inner, b = inner), 1:10, list(a = 1))
  expect_error(
    find_by_path(deep, read_path("$..*..*..*")),
    "looks at more than 1e\\+05 values|100,000",
    class = "sprenn_error_path"
  )
})

test_that("pointers lead to what RFC 6901 says", {
  document <- jsonlite::parse_json(
    '{"foo": ["bar", "baz"], "": 0, "a/b": 1, "c%d": 2, "e^f": 3, "g|h": 4, "i\\\\j": 5,
      "k\\"l": 6, " ": 7, "m~n": 8, "null": null}'
  )
  at <- function(pointer) find_by_pointer(document, pointer)$value
  expect_equal(at(""), document)
  expect_equal(at("/foo"), list("bar", "baz"))
  expect_equal(at("/foo/0"), "bar")
  found <- vapply(
    c("/", "/a~1b", "/c%d", "/e^f", "/g|h", "/i\\j", "/k\"l", "/ ", "/m~0n"),
    at,
    0L
  )
  expect_equal(unname(found), 0:8)
  expect_equal(find_by_pointer(document, "/null"), list(value = NULL))
  for (none in c("/foo/2", "/foo/-", "/foo/01", "/bar", "/foo/0/x")) {
    expect_null(find_by_pointer(document, none))
  }
  expect_error(find_by_pointer(document, "foo"), class = "sprenn_error_path")
  expect_error(find_by_pointer(document, "/m~n"), class = "sprenn_error_path")
})
