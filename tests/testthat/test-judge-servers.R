# Judges over real connections: the stand-ins as servers, and servers that lie.
lines_for <- function(...) c(small_brief, "judges:", ...)

test_that("the stand-in judges speak the Open Inference Protocol with their own tensors", {
  skip_on_cran()
  running <- start_standins(c("heron", "plover"))
  withr::defer(stop_standins(running))
  folder <- small_trial(
    suite = change(
      sub(
        "prompt: a thing}",
        "prompt: [two kites, a teal sky, a windmill, a moonlit night]}",
        small_suite
      ),
      "a thing, ",
      "a lighthouse, some gulls, a greenhouse, a misty morning, lettering on a board, "
    ),
    brief = lines_for(
      paste0(
        "  heron: {kind: answering, address: \"",
        running$addresses[["heron"]],
        "\", model: heron, deny: \"no {say}\", batch: 3, tensors: {picture: IMAGES, statement: ",
        "TEXTS, probability: P}}"
      ),
      paste0(
        "  plover: {kind: embedding, address: \"", running$addresses[["plover"]],
        "\", model: plover, text_model: plover-texts, tensors: {picture: IMAGES, statement: ",
        "TEXTS, vector: EMBEDDING}}"
      )
    )
  )
  judged <- run_trial(folder)$judged
  expect_equal(judged$problem, c(NA_character_, NA_character_))
  expect_equal(judged$version, c("heron 3", "plover 3, plover-texts 3"))
  # Answers rather than scores: the pictures of this trial show none of it, so that neither judge is
  # believed.
  answers <- function(judge, version) {
    store <- open_store(folder, "main")
    withr::defer(close_store(store))
    said <- read_answers(store, judge, version)
    said <- said[order(said$subject, said$statement), ]
    said$said <- if (judge == "heron") as.numeric(said$said) else lapply(said$said, unpack_floats)
    said
  }
  there <- list(
    heron = answers("heron", "heron 3"),
    plover = answers("plover", "plover 3, plover-texts 3")
  )
  # The same judges as functions say the same of the same pictures.
  writeLines(
    lines_for(
      "  heron: {kind: answering, call: \"sprenn::standin_heron\", deny: \"no {say}\"}",
      "  plover: {kind: embedding, call: \"sprenn::standin_plover\"}"
    ),
    file.path(folder, "brief.yml")
  )
  scored <- score_run(folder)
  for (name in c("heron", "plover")) {
    version <- scored$judged$version[scored$judged$judge == name]
    here <- answers(name, version)
    expect_gt(nrow(here), 20)
    expect_equal(there[[name]]$statement, here$statement, info = name)
    expect_equal(there[[name]]$said, here$said, tolerance = 0.02, info = name)
  }
})

# A server with one model, whose answers are what `said(request, calls)` returns. The
# values of the first input are in `request$pixels`, columns running fastest.
lying_server <- function(said, versions = list("1"), env = parent.frame()) {
  app <- webfakes::new_app()
  app$use(webfakes::mw_raw())
  app$locals$said <- said
  app$locals$versions <- versions
  app$get("/v2/models/liar", function(req, res) {
    res$send_json(
      auto_unbox = TRUE,
      list(
        name = "liar",
        versions = req$app$locals$versions,
        inputs = list(
          list(name = "picture", datatype = "FP32", shape = list(-1, 3, -1, -1)),
          list(name = "statement", datatype = "BYTES", shape = list(-1))
        )
      )
    )
  })
  app$post("/v2/models/liar/infer", function(req, res) {
    req$app$locals$calls <- (if (is.null(req$app$locals$calls)) 0 else req$app$locals$calls) + 1
    head <- as.integer(req$get_header("Inference-Header-Content-Length"))
    request <- jsonlite::parse_json(rawToChar(req$raw[seq_len(head)]))
    request$pixels <- readBin(
      req$raw[-seq_len(head)],
      "numeric",
      prod(unlist(request$inputs[[1]]$shape)),
      size = 4
    )
    answer <- req$app$locals$said(request, req$app$locals$calls)
    if (is.numeric(answer)) {
      return(res$set_status(answer)$send_json(list(error = "not now"), auto_unbox = TRUE))
    }

    res$send_json(answer, auto_unbox = TRUE, digits = NA)
  })
  process <- webfakes::local_app_process(app, .local_envir = env)
  sub("/$", "", process$url())
}

# Depth and figures of a picture, as the tests below hold them: what is red is near; a nose
# where it is brightest, an ankle where it is darkest.
red_depth <- function(pixels) pixels[, , 1]

two_joints <- function(pixels) {
  light <- apply(pixels, 1:2, sum)
  share <- function(at) {
    c(
      (arrayInd(at, dim(light))[2] - 0.5) / ncol(light),
      (arrayInd(at, dim(light))[1] - 0.5) / nrow(light)
    )
  }

  list(list(nose = share(which.max(light)), left_ankle = share(which.min(light))))
}

assign("red_depth", red_depth, globalenv())
assign("two_joints", two_joints, globalenv())

test_that("depth and figures come from servers as from functions, and tell who keeps the layout", {
  skip_on_cran()
  answer_with <- function(name, values) {
    eval(
      bquote(function(request, calls) {
        shape <- unlist(request$inputs[[1]]$shape)
        pictures <- array(request$pixels, rev(shape))
        each <- lapply(seq_len(shape[1]), function(i) aperm(pictures[, , , i], c(2, 1, 3)))
        found <- (.(values))(each)
        list(
          model_name = "liar",
          id = request$id,
          outputs = list(list(
            name = .(name),
            datatype = "FP32",
            shape = found$shape,
            data = found$data
          ))
        )
      })
    )
  }

  depth_of <- eval(
    bquote(function(each) {
      maps <- lapply(each, .(red_depth))
      list(
        shape = c(length(maps), 1, dim(maps[[1]])),
        data = unlist(lapply(maps, t))
      )
    })
  )
  # Two figures a picture, of which the second is not there.
  figures_of <- eval(
    bquote(function(each) {
      one <- function(pixels) {
        found <- (.(two_joints))(pixels)[[1]]
        joints <- matrix(0.1, 17, 3)
        joints[1, ] <- c(found$nose, 0.9)
        joints[16, ] <- c(found$left_ankle, 0.5)
        c(t(joints), rep(0.2, 51))
      }

      list(shape = c(length(each), 2, 17, 3), data = unlist(lapply(each, one)))
    })
  )
  served <- function(kind, name, values) {
    paste0(
      "  there: {kind: ", kind, ", address: \"",
      lying_server(answer_with(name, values), env = parent.frame()), "\", model: liar}"
    )
  }

  for (kind in c("depth", "pose")) {
    server <- if (kind == "depth") {
      served("depth", "depth", depth_of)
    } else {
      served("pose", "figures", figures_of)
    }
    folder <- small_trial(
      brief = lines_for(server, paste0("  here: {kind: ", kind, ", file: here.R}"))
    )
    writeLines(
      if (kind == "depth") {
        "judge('here', depth = function(pictures) lapply(pictures, get('red_depth', globalenv())))"
      } else {
        paste0(
          "judge('here', figures = function(pictures) lapply(pictures, get('two_joints', ",
          "globalenv())))"
        )
      },
      file.path(folder, "here.R")
    )
    made <- run_trial(folder)
    takes <- made$takes
    expect_equal(made$judged$problem, c(NA_character_, NA_character_), info = kind)
    scores <- score_run(folder)$scores
    there <- scores[scores$measure == "there", ]
    expect_equal(nrow(there), nrow(takes))
    expect_equal(there$axis, rep("structure", nrow(takes)))
    expect_equal(
      there$value,
      scores$value[scores$measure == "here"],
      tolerance = 1e-3,
      info = kind
    )
    pipeline <- takes$pipeline[match(there$take, takes$take)]
    expect_gt(
      mean(there$value[pipeline == "firm"]),
      mean(there$value[pipeline == "loose"]) + 0.05
    )
  }
})

# An answer of the right shape, with `value` for everything.
right_answer <- paste0(
  "function(request, value = 0.5, ...) list(model_name = 'liar', id = request$id, outputs = ",
  "list(list(name = 'probability', datatype = 'FP32', shape = c(request$inputs[[1]]$shape[[1]], ",
  "request$inputs[[2]]$shape[[1]]), data = rep(value, request$inputs[[1]]$shape[[1]] * ",
  "request$inputs[[2]]$shape[[1]]))), ...)"
)

asked <- function(said, ...) {
  address <- lying_server(said, ..., env = parent.frame())
  folder <- small_trial(
    brief = lines_for(paste0(
      "  liar: {kind: answering, address: \"", address,
      "\", model: liar, at_once: 1, seconds: 2}"
    )),
    env = parent.frame()
  )
  list(folder = folder, judged = run_trial(folder)$judged)
}

test_that("a server that is busy for a while is asked again", {
  skip_on_cran()
  body <- paste0(
    "function(request, calls) if (calls <= 2) 503 else (", right_answer, ")(request)"
  )
  found <- asked(eval(parse(text = body)))
  expect_equal(found$judged$problem, NA_character_)
  scores <- score_run(found$folder)$scores
  expect_equal(unique(scores$value[scores$measure == "liar"]), 0.5)
})

test_that("a server that changes its version, lies or breaks off is stopped with the reason", {
  skip_on_cran()
  wrong <- list(
    "is now of version 2" = paste0(
      "function(request, calls) ",
      "RIGHT(request, model_version = if (calls > 1) '2' else '1')"
    ),
    "answer to another request" = paste0(
      "function(request, calls) ",
      "{ right <- RIGHT(request); right$id <- 'other'; right }"
    ),
    "no output probability" = paste0(
      "function(request, calls) { right <- RIGHT(request); right$outputs[[1]]$name <- 'p'; right ",
      "}"
    ),
    "probability 3" = "function(request, calls) RIGHT(request, 3)",
    "expected 4 x|expected 2 x" = paste0(
      "function(request, calls) { right <- RIGHT(request); right$outputs[[1]]$shape <- 1; ",
      "right$outputs[[1]]$data <- 0.5; right }"
    ),
    "not now" = "function(request, calls) 400"
  )
  for (reason in names(wrong)) {
    found <- asked(
      eval(
        parse(
          text = gsub("RIGHT", paste0("(", right_answer, ")"), wrong[[reason]], fixed = TRUE)
        )
      )
    )
    expect_match(found$judged$problem, reason, info = reason)
  }
})

test_that("a server that is not there leaves the run whole, and says so", {
  folder <- small_trial(
    brief = lines_for("  gone: {kind: answering, address: \"http://127.0.0.1:9\", model: gone}")
  )
  made <- run_trial(folder)
  expect_match(made$judged$problem, "127.0.0.1:9")
  expect_true(all(made$takes$state == "made"))
  expect_match(list_judges(folder)$problem, "127.0.0.1:9")
})

test_that("judges that are servers are asked while the run makes, and report as one", {
  skip_on_cran()
  asking <- character()
  said <- paste0("function(request, calls) (", right_answer, ")(request)")
  address <- lying_server(eval(parse(text = said)))
  folder <- small_trial(
    brief = lines_for(paste0(
      "  liar: {kind: answering, address: \"", address, "\", model: liar, unasked: 0, batch: 1}"
    ))
  )
  made <- run_trial(folder, progress = function(..., words = "", to_ask = 0) {
    if (to_ask > 0) asking <<- c(asking, words)
  })
  expect_equal(made$judged$problem, NA_character_)
  pictures <- length(unique(made$takes$sha256[made$takes$state == "made"]))
  expect_equal(made$judged$asked, pictures)
  expect_equal(made$judged$from_before, 0)
  # Nothing, or what was made last, was left to be asked after the run.
  expect_lt(length(asking), pictures / 2)
  again <- run_trial(folder)
  expect_equal(again$judged$asked, 0)
  expect_gt(again$judged$from_before, 0)
})
