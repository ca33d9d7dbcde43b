# URI Templates: the examples of RFC 6570 (3.2), with its values.

values <- list(
  count = list("one", "two", "three"),
  dom = list("example", "com"),
  dub = "me/too",
  hello = "Hello World!",
  half = "50%",
  var = "value",
  who = "fred",
  base = "http://example.com/home/",
  path = "/foo/bar",
  list = list("red", "green", "blue"),
  keys = list(semi = ";", dot = ".", comma = ","),
  v = "6",
  x = 1024,
  y = 768,
  empty = "",
  empty_keys = list()
)

expanded <- function(template) expand_template(read_template(template), values)

test_that("every kind of expression is expanded as the RFC has it", {
  examples <- c(
    "{count}" = "one,two,three",
    "{count*}" = "one,two,three",
    "{/count}" = "/one,two,three",
    "{/count*}" = "/one/two/three",
    "{;count}" = ";count=one,two,three",
    "{;count*}" = ";count=one;count=two;count=three",
    "{?count}" = "?count=one,two,three",
    "{?count*}" = "?count=one&count=two&count=three",
    "{&count*}" = "&count=one&count=two&count=three",
    "{var}" = "value",
    "{hello}" = "Hello%20World%21",
    "{half}" = "50%25",
    "O{empty}X" = "OX",
    "O{undef}X" = "OX",
    "{x,y}" = "1024,768",
    "{x,hello,y}" = "1024,Hello%20World%21,768",
    "?{x,empty}" = "?1024,",
    "?{x,undef}" = "?1024",
    "{var:3}" = "val",
    "{var:30}" = "value",
    "{list}" = "red,green,blue",
    "{list*}" = "red,green,blue",
    "{keys}" = "semi,%3B,dot,.,comma,%2C",
    "{keys*}" = "semi=%3B,dot=.,comma=%2C",
    "{+var}" = "value",
    "{+hello}" = "Hello%20World!",
    "{+half}" = "50%25",
    "{base}index" = "http%3A%2F%2Fexample.com%2Fhome%2Findex",
    "{+base}index" = "http://example.com/home/index",
    "O{+empty}X" = "OX",
    "{+path}/here" = "/foo/bar/here",
    "here?ref={+path}" = "here?ref=/foo/bar",
    "up{+path}{var}/here" = "up/foo/barvalue/here",
    "{+x,hello,y}" = "1024,Hello%20World!,768",
    "{+path,x}/here" = "/foo/bar,1024/here",
    "{+path:6}/here" = "/foo/b/here",
    "{+list*}" = "red,green,blue",
    "{+keys}" = "semi,;,dot,.,comma,,",
    "{+keys*}" = "semi=;,dot=.,comma=,",
    "{#var}" = "#value",
    "{#hello}" = "#Hello%20World!",
    "foo{#empty}" = "foo#",
    "foo{#undef}" = "foo",
    "{#x,hello,y}" = "#1024,Hello%20World!,768",
    "{#path,x}/here" = "#/foo/bar,1024/here",
    "{#path:6}/here" = "#/foo/b/here",
    "{#keys*}" = "#semi=;,dot=.,comma=,",
    "{.who}" = ".fred",
    "{.who,who}" = ".fred.fred",
    "{.half,who}" = ".50%25.fred",
    "www{.dom*}" = "www.example.com",
    "X{.empty}" = "X.",
    "X{.undef}" = "X",
    "X{.list}" = "X.red,green,blue",
    "X{.list*}" = "X.red.green.blue",
    "X{.keys*}" = "X.semi=%3B.dot=..comma=%2C",
    "X{.empty_keys}" = "X",
    "{/who,dub}" = "/fred/me%2Ftoo",
    "{/var,empty}" = "/value/",
    "{/var:1,var}" = "/v/value",
    "{/list*,path:4}" = "/red/green/blue/%2Ffoo",
    "{/keys}" = "/semi,%3B,dot,.,comma,%2C",
    "{;v,empty,who}" = ";v=6;empty;who=fred",
    "{;v,bar,who}" = ";v=6;who=fred",
    "{;x,y,empty}" = ";x=1024;y=768;empty",
    "{;hello:5}" = ";hello=Hello",
    "{;keys*}" = ";semi=%3B;dot=.;comma=%2C",
    "{?x,y,empty}" = "?x=1024&y=768&empty=",
    "{?x,y,undef}" = "?x=1024&y=768",
    "{?var:3}" = "?var=val",
    "{?keys}" = "?keys=semi,%3B,dot,.,comma,%2C",
    "?fixed=yes{&x}" = "?fixed=yes&x=1024",
    "{&x,y,empty}" = "&x=1024&y=768&empty="
  )
  found <- vapply(names(examples), expanded, "")
  expect_equal(found, examples)
})

test_that("values are encoded by their bytes, and can't leave their place", {
  expect_equal(
    expand_template(read_template("/t/{say}?q={say}"), list(say = "\u00fc/../{x}?a=b#c\n")),
    "/t/%C3%BC%2F..%2F%7Bx%7D%3Fa%3Db%23c%0A?q=%C3%BC%2F..%2F%7Bx%7D%3Fa%3Db%23c%0A"
  )
  # What is encoded already stays where reserved letters may.
  expect_equal(expand_template(read_template("{+say}"), list(say = "a%2Fb%zz")), "a%2Fb%25zz")
  expect_equal(expand_template(read_template("{n}"), list(n = 4294967295)), "4294967295")
  expect_equal(template_names(read_template("/a{/x,y*}{?z:3,x}")), c("x", "y", "z"))
})

test_that("what is no template is told", {
  for (wrong in c("{a", "a}", "{}", "{a b}", "{a:0}", "{!a}", "{a,}", "{{a}}")) {
    expect_error(read_template(wrong), class = "sprenn_error_template")
  }
  expect_error(read_template("/{a b}"), "names no variable")
})
