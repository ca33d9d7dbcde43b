# Judges on a model server that speaks the Open Inference Protocol (version 2, REST).
# Pictures go as one tensor, a batch of one size; statements as texts. A model that
# answers puts out a probability for each picture and statement, one that embeds a
# vector each, one for poses pictures x figures x joints x 3 (x and y as shares, and how
# sure), one for depth pictures x rows x columns, larger where nearer. One that finds things puts
# out several tensors (judge-findings.R).

#
# `address_now` returns the server's address: one that is started for this has none before.
inference_judge <- function(wanted, name, address_now = function() sub("/$", "", wanted$address)) {
  known <- Cache$new()
  tensor_of <- function(word) wanted$tensors[[word]] %||% word
  seconds <- wanted$seconds %||% 60
  facts_of <- function(model) {
    known$get(model, {
      url <- model_url(address_now(), model)
      answer <- fetch("GET", url, key_headers(wanted), seconds = min(30, seconds))
      if (answer$status != 200) {
        stop_for_inference(answer, url, NULL)
      }

      said <- read_json_answer(answer, url)
      list(
        versions = vapply(said$versions, as.character, ""),
        inputs = stats::setNames(said$inputs, names_in(said$inputs)),
        outputs = names_in(said$outputs)
      )
    })
  }

  models <- c(wanted$model, wanted$text_model)
  version <- function() {
    known$clear()
    paste(
      vapply(
        models,
        function(model) paste(model, utils::tail(c("", facts_of(model)$versions), 1)),
        ""
      ),
      collapse = ", "
    )
  }

  ask <- function(subjects, statements) {
    model <- if (length(subjects) == 0) wanted$text_model %||% wanted$model else wanted$model
    facts <- facts_of(model)
    address <- address_now()
    url <- paste0(model_url(address, model), "/infer")
    tensors <- list()
    give <- function(word, make) {
      name <- tensor_of(word)
      input <- facts$inputs[[name]]
      if (is.null(input)) {
        engine_failure(
          "bad_request",
          paste0(
            "The model ", model, " has no input ", name, ". It takes ",
            paste(names(facts$inputs), collapse = ", "),
            "; `tensors` in brief.yml says what goes where."
          )
        )
      }

      tensors[[name]] <<- make(input)
    }

    if (length(subjects)) {
      give("picture", function(input) batch_tensor(lapply(subjects, `[[`, "pixels"), input))
    }

    if (length(statements)) {
      give("statement", function(input) as_tensor(statements, input))
    }

    key <- fresh_key()
    out <- outputs_to_ask(wanted$kind, facts, tensor_of, model)
    message <- infer_message(tensors, out, key, known$get("/v2", asks_for_bytes(wanted, address)))
    call <- new_call(
      "POST",
      url,
      c(key_headers(wanted), message$headers),
      body = message$body,
      seconds = seconds,
      most = 1e8
    )
    list(call = call, then = function(answer) {
      if (answer$status != 200) {
        stop_for_inference(answer, url, NULL)
      }

      found <- read_outputs(answer, url, key)
      # Answers of another version must not be attributed to this one.
      spoke <- as.character(attr(found, "version") %||% "")
      if (nzchar(spoke) &&
        length(facts$versions) &&
        !spoke %in% utils::tail(facts$versions, 1)) {
        engine_failure(
          "bad_request",
          paste0(
            name,
            " is now of version ",
            spoke,
            ", and was of ",
            utils::tail(facts$versions, 1),
            " when it was first asked. Answers of two versions are never mixed: `sprenn score` ",
            "asks the new one everything."
          )
        )
      }

      read <- lapply(out, function(name) values_of_output(output_named(found, name, url), url))
      said_from_tensors(read, wanted$kind, max(1, length(subjects)), length(statements), url)
    })
  }

  new_judge(
    name,
    wanted$kind,
    version,
    ask,
    edge = wanted$edge %||% 384,
    batch = wanted$batch %||% 8,
    at_once = wanted$at_once %||% 2,
    pattern = c(wanted$ask %||% "{say}", wanted$deny %||% "not the case: {say}"),
    secrets = as.character(wanted$key),
    converses = TRUE
  )
}

names_in <- function(tensors) {
  vapply(tensors, function(one) as.character(one$name %||% ""), "")
}

# The outputs that a model is asked for, as it calls them, by our names.
outputs_to_ask <- function(kind, facts, tensor_of, model) {
  if (kind != "finding") {
    return(stats::setNames(tensor_of(output_words[[kind]]), output_words[[kind]]))
  }

  ours <- c(unlist(finding_outputs, use.names = FALSE), names(face_widths()))
  theirs <- stats::setNames(vapply(ours, tensor_of, ""), ours)
  told <- outputs_for_findings(ours[theirs %in% facts$outputs])
  if (length(told) == 0) {
    engine_failure(
      "bad_request",
      paste0(
        "The model ", model, " has no output that findings are read from (",
        paste(ours, collapse = ", "), "). It has ", paste(facts$outputs, collapse = ", "), "."
      )
    )
  }

  theirs[told]
}

# An output's `values`, row by row, and `sizes`.
values_of_output <- function(found, url) {
  sizes <- as.numeric(unlist(found$output$shape))
  type <- as.character(found$output$datatype)
  values <- if (is.null(found$bytes)) {
    if (type == "BYTES") texts_in(found$output$data) else plain_numbers(found$output$data)
  } else if (type == "BYTES") {
    texts_from_raw(found$bytes)
  } else {
    tensor_from_raw(found$bytes, type)
  }
  if (length(values) != prod(sizes)) {
    refuse_values(values, sizes, "as many as the shape says", url)
  }

  list(values = values, sizes = sizes)
}

refuse_values <- function(values, sizes, wanted, url) {
  engine_failure(
    "bad_answer",
    paste0(
      url, " sent ", length(values), " values of shape ",
      paste(sizes, collapse = " x "), "; expected ", wanted, "."
    )
  )
}

# Converts a model's outputs, by our names, to the form that check_said() expects.
said_from_tensors <- function(outputs, kind, n, statements, url) {
  if (kind == "finding") {
    return(findings_in(outputs, n, function(name, wanted) {
      refuse_values(outputs[[name]]$values, outputs[[name]]$sizes, wanted, url)
    }))
  }

  values <- as.numeric(outputs[[1]]$values)
  sizes <- outputs[[1]]$sizes
  wrong <- function(wanted) refuse_values(values, sizes, wanted, url)
  switch(kind,
    answering = probabilities_in(values, n, statements, wrong),
    embedding = vectors_in(values, sizes, if (statements > 0) statements else n, wrong),
    depth = depth_in(values, sizes, n, wrong),
    pose = figures_in(values, sizes, n, wrong)
  )
}

# What a model's output is called in `tensors` of brief.yml, by the kind of judge.
output_words <- c(
  answering = "probability",
  embedding = "vector",
  pose = "figures",
  depth = "depth"
)

# Tensors come row by row.
probabilities_in <- function(values, n, statements, wrong) {
  if (length(values) != n * statements) {
    wrong(paste(n, "x", statements, "probabilities"))
  }

  matrix(values, n, byrow = TRUE)
}

vectors_in <- function(values, sizes, many, wrong) {
  uneven <- length(values) == 0 || length(values) %% many != 0
  if (uneven || (length(sizes) > 1 && sizes[1] != many)) {
    wrong(paste(many, "vectors"))
  }

  matrix(values, many, byrow = TRUE)
}

depth_in <- function(values, sizes, n, wrong) {
  sizes <- sizes[sizes != 1 | seq_along(sizes) == 1]
  if (length(sizes) != 3 || sizes[1] != n) {
    wrong("pictures x rows x columns")
  }

  maps <- array(values, rev(sizes))
  lapply(seq_len(n), function(i) t(maps[, , i]))
}

# Joints below this confidence count as hidden.
sure_joint <- 0.3

figures_in <- function(values, sizes, n, wrong) {
  fits <- length(sizes) == 4 &&
    sizes[1] == n &&
    sizes[3] == length(joint_names) &&
    sizes[4] == 3
  if (!fits) {
    wrong(paste0("pictures x figures x ", length(joint_names), " x 3"))
  }

  joints <- array(values, rev(sizes))
  lapply(seq_len(n), function(i) {
    figures <- lapply(seq_len(sizes[2]), function(k) {
      sure <- which(joints[3, , k, i] >= sure_joint)
      stats::setNames(lapply(sure, function(joint) joints[1:2, joint, k, i]), joint_names[sure])
    })
    Filter(length, figures)
  })
}

# Numbers as JSON has them; what is null, or none, is NA.
plain_numbers <- function(data) {
  flat <- function(x) {
    if (is.list(x)) {
      unlist(lapply(x, flat))
    } else if (is.null(x)) {
      NA
    } else {
      x
    }
  }

  suppressWarnings(as.numeric(flat(data)))
}
