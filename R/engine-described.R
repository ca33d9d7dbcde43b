# Engines on a service that is described in lineup.yml: which calls make a picture, how it is waited
# for, and where it stands in the answer. Calls are put together by engine-described-calls.R,
# templates filled by engine-template.R.

described_engine <- function(wanted, name) {
  service <- new_service(wanted)
  about <- wanted$about
  about$per_call <- wanted$per_call
  built <- conversing_engine(
    about_from_list(about, name, "none"),
    function(request) described_take(request, service),
    kind = "described",
    secrets = as.character(wanted$key)
  )
  built$asks_once <- service$asks_once
  built$service <- service
  built
}

# A description with what is remembered between pictures: places and templates that were read, and
# what was uploaded. `asks_once` is whether a call that is made again is paid for again.
new_service <- function(wanted) {
  list(
    wanted = wanted,
    read = Cache$new(),
    uploads = Uploads$new(),
    asks_once = how_idempotent(wanted) == "none"
  )
}

# How the service knows a call that it has had before.
how_idempotent <- function(wanted) {
  make <- wanted$make
  if (!is.null(wanted$idempotent)) {
    wanted$idempotent
  } else if ("key" %in% names_in_template(make$headers)) {
    "header"
  } else if ("key" %in% names_in_template(make[c("call", "json", "form")])) {
    "member"
  } else {
    "none"
  }
}

# One picture as a conversation: uploads, the call that makes it, the wait for it, and the fetching
# of what was made.
#
# `read` is what becomes of the answer, with what is `named` in templates besides the request.
described_take <- function(request, service, read = pictures_of, named = list()) {
  talk <- list(
    request = request,
    service = service,
    read = read,
    began = clock(),
    named = named,
    afresh = FALSE,
    forgotten = 0,
    broken = 0,
    key = request$key
  )
  upload_next(talk, needed_uploads(service$wanted, request))
}

make_described <- function(talk) {
  make <- talk$service$wanted$make
  described_call(
    talk,
    make,
    "make",
    function(answer, found) {
      marking_paid(talk, {
        talk <- keeping(talk, make$keep, answer, found)
        if (is.null(talk$service$wanted$wait)) {
          talk$read(talk, answer, found)
        } else {
          look_again(talk, answer)
        }
      })
    },
    failed = function(failure) make_failed(talk, failure)
  )
}

# A service may have dropped an upload earlier than it said: it is uploaded again, once. Where a
# call that is made again is paid for again, an answer that was lost is not asked for.
make_failed <- function(talk, failure) {
  if (failure$kind == "bad_request" && length(talk$reused) && !talk$afresh) {
    talk$service$uploads$forget(talk$reused)
    talk$reused <- NULL
    talk$afresh <- TRUE
    return(upload_next(talk, needed_uploads(talk$service$wanted, talk$request)))
  }

  if (talk$service$asks_once && may_be_lost(failure)) stop(as_paid(failure)) else stop(failure)
}

# Whether an answer may have been lost on its way.
may_be_lost <- function(failure) {
  isTRUE(failure$cut) ||
    isTRUE(failure$status %in% gateway_lost) ||
    (failure$kind == "timed_out" && !isTRUE(failure$told))
}

# Statuses by which a server in between says that it has not heard the end of it.
gateway_lost <- c(502, 504)

# Runs what follows once the service has taken the order.
marking_paid <- function(talk, code) {
  if (!talk$service$asks_once) {
    return(code)
  }

  tryCatch(code, sprenn_failure = function(e) stop(as_paid(e)))
}

# Follows a job until it is done, at the service's pace. A look that fails in passing is taken
# again: the job goes on without it.
look_again <- function(talk, answer, missed = 0, pause = NULL) {
  wait <- talk$service$wanted$wait
  if (clock() - talk$began > (talk$service$wanted$patience %||% default_patience)) {
    engine_failure("timed_out", paste0(talk$service$wanted$address, " was not done in time."))
  }

  pause <- pause %||% retry_after_of(answer) %||% wait$every %||% 1
  described_call(
    talk,
    wait,
    "wait",
    function(answer, found) marking_paid(talk, job_looked_at(talk, answer, found)),
    failed = function(failure) {
      if (is_forgotten(failure, talk)) {
        talk$forgotten <- talk$forgotten + 1
        return(make_described(talk))
      }

      if (is_broken(failure, talk)) {
        talk$broken <- talk$broken + 1
        talk$request$key <- paste0(talk$key, "-", talk$broken)
        return(make_described(talk))
      }

      marking_paid(talk, {
        if (missed + 1 >= most_tries || !passes(failure)) {
          stop(failure)
        }

        pause <- failure$retry_after %||% pause_after(missed + 1, talk$request$key)
        look_again(talk, answer, missed + 1, pause)
      })
    },
    wait = min(pause, longest_look)
  )
}

# A restarted service knows the key but not the job, so that the call is made again.
is_forgotten <- function(failure, talk) {
  isTRUE(failure$status %in% c(404, 410)) &&
    !talk$service$asks_once &&
    talk$forgotten < most_forgotten
}

# A job that the service says has failed is ordered anew, under another key: under the same one it
# stays what it is. Not from a service that has no keys, since it may charge for failed jobs too.
most_broken <- 2
is_broken <- function(failure, talk) {
  isTRUE(failure$told) &&
    failure$kind == "bad_answer" &&
    !talk$service$asks_once &&
    talk$broken < most_broken
}

# Whether a call that failed is worth another try; what the description calls a failure is not.
passes <- function(failure) {
  !isTRUE(failure$told) && failure$kind %in% passing_failures
}

job_looked_at <- function(talk, answer, found) {
  wait <- talk$service$wanted$wait
  stop_for_other_job(talk, found)
  state <- texts_of(first_found(found, wait$state))
  if (any(state %in% texts_of(wait$done))) {
    return(talk$read(talk, answer, found))
  }

  if (length(state) == 0 || (!is.null(wait$going) && !state[1] %in% texts_of(wait$going))) {
    engine_failure(
      "bad_answer",
      paste0(
        talk$service$wanted$address, " says of the job ",
        if (length(state)) show_value(state[1]) else "nothing", " at ", wait$state,
        ", which is neither done nor going."
      )
    )
  }

  look_again(talk, answer)
}

stop_for_other_job <- function(talk, found) {
  same <- talk$service$wanted$wait$same
  for (name in names(same)) {
    said <- first_found(found, same[[name]])
    if (!is.null(said) && !identical(texts_of(said), texts_of(talk$named[[name]]))) {
      engine_failure(
        "bad_answer",
        paste0(
          talk$service$wanted$address, " answered about another job (its ", name, " is ",
          show_value(said), ")."
        )
      )
    }
  }
}

# The pictures in an answer: the answer itself, or what stands at a place in base64, as a data URL
# or as an address. One result, or a list of them if there were several seeds.
pictures_of <- function(talk, answer, found) {
  about <- talk$service$wanted$result
  wanted <- length(talk$request$seeds)
  said <- if (is.null(about$picture)) {
    if (startsWith(answer$type, "image/")) list(answer$body)
  } else {
    all_found(found, about$picture)
  }
  usable <- vapply(said, function(one) is.raw(one) || is_text(one), NA)
  if (length(said) == 0 || !all(usable)) {
    stop_for_lacking(talk, answer, about$picture %||% "its body, which is no picture")
  }

  besides <- read_besides(talk, answer, found)
  next_picture(talk, utils::head(said, wanted), list(), function(pictures) {
    results <- lapply(seq_along(pictures), function(i) besides(pictures[[i]], i))
    if (wanted > 1) results else results[[1]]
  })
}

# Takes the pictures one after the other; `then` is called with the bytes of all.
next_picture <- function(talk, said, pictures, then) {
  at <- length(pictures) + 1
  if (at > length(said)) {
    return(then(pictures))
  }

  go_on <- function(bytes) next_picture(talk, said, c(pictures, list(bytes)), then)
  one <- said[[at]]
  if (is.raw(one)) {
    return(go_on(one))
  }

  if (is_picture_address(one)) {
    return(fetch_described(talk, one, go_on))
  }

  bytes <- decoded(one)
  if (length(bytes) == 0) {
    engine_failure(
      "bad_answer",
      paste0(
        "What ", talk$service$wanted$address, " has at ", talk$service$wanted$result$picture,
        " is no picture in base64, no data URL and no address; it begins ",
        quoted(substr(one, 1, 40)), "."
      )
    )
  }

  go_on(bytes)
}

# Whether a text is an address; a JPEG in base64 begins with /9j/.
is_picture_address <- function(text) {
  grepl("^https?://|^/[^/]", text) && !startsWith(text, "/9j/")
}

# A text in base64, perhaps in a data URL (RFC 2397), as bytes; none if it can't be read.
decoded <- function(text) {
  inner <- gsub("[[:space:]]", "", sub("^data:[^,]*,", "", text))
  if (!grepl("^[A-Za-z0-9+/_-]+=*$", inner)) {
    return(raw())
  }

  plain <- chartr("-_", "+/", inner)
  tryCatch(openssl::base64_decode(plain), error = function(e) raw())
}

# A function of a picture and its number that returns its result, with what the answer says of it:
# the seed, its share of the cost, the version and the seconds.
read_besides <- function(talk, answer, found) {
  wanted <- talk$service$wanted
  about <- wanted$result
  many <- length(talk$request$seeds)
  # Headers are texts.
  numbers <- function(where) {
    suppressWarnings(as.numeric(texts_of(all_found(found, where))))
  }
  seeds <- numbers(about$seed)
  costs <- numbers(about$cost) * (about$unit_price %||% 1)
  cost <- if (length(costs) && !anyNA(costs)) {
    sum(costs) / many
  } else {
    price_of_request(wanted, talk$request)
  }
  says <- Filter(Negate(is.null), list(
    version = first_found(found, about$version),
    seconds = first_found(found, about$seconds)
  ))
  function(bytes, i) {
    seed <- if (many == 1) seeds[1] else if (length(seeds) == many) seeds[i] else NA
    engine_result(
      bytes,
      seed = if (is.na(seed)) NA_integer_ else as.integer(seed),
      cost = cost,
      says = says
    )
  }
}

# What a picture costs where the answer does not say it.
price_of_request <- function(wanted, request) {
  listed <- listed_price(wanted$price_list, request)
  as_number(listed %||% wanted[["price"]] %||% wanted$about$price)
}

# The price by what it depends on; NULL where the list has none.
listed_price <- function(list, request) {
  value <- if (!is.null(list)) input_named(list$by, request)
  if (length(value) == 1) list$prices[[value_text(value)]]
}
