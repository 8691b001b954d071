# What a run of a study did, a line a section.

#' @export
print.study_run <- function(x, ...) {
  check_print_dots(..., of = print.study_run)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.study_run <- function(x, ...) {
  steps <- x$steps
  outputs <- x$outputs
  failed <- sum(steps$state == "failed")
  ran <- any(steps$state == "run") || any(outputs$state != "as it was")
  if (!ran && failed == 0) {
    return(text_block(sprintf("Nothing has changed: %s kept, %s as %s.", count_of(nrow(steps), "step"),
                              count_of(nrow(outputs), "file"), if (nrow(outputs) == 1) "it was" else "they were")))
  }
  list(
    if (!is.null(x$title)) heading_block(x$title), study_lines_block(x), text_block(written_sentence(x, failed))
  )
}

# So many files are named, more are counted.
most_named_files <- 4

written_sentence <- function(x, failed) {
  outputs <- x$outputs
  kept <- sum(x$steps$state == "kept")
  again <- sum(outputs$state == "again")
  written <- sum(outputs$state != "as it was")
  paste(c(
    if (written > 0) {
      files <- outputs$file[outputs$state != "as it was"]
      told <- if (written > most_named_files) count_of(written, "file") else list_words(files)
      sprintf("Written to %s: %s, listed in manifest.json.", x$folder, told)
    } else {
      sprintf("In %s all %s are as they were.", x$folder, count_of(nrow(outputs), "file"))
    },
    if (again > 0) sprintf("%s %s missing or altered, and %s again.", upper_first(count_small(again, "file")),
                           if (again == 1) "was" else "were", if (again == 1) "is there" else "are there"),
    if (kept > 0) sprintf("%s kept.", upper_first(count_small(kept, "step"))),
    if (failed > 0) sprintf("%s failed.", upper_first(count_small(failed, "step")))
  ), collapse = " ")
}

# Small numbers in words, at the start of a sentence.
count_small <- function(n, noun) {
  words <- c("one", "two", "three", "four", "five", "six", "seven", "eight", "nine")
  sprintf("%s %s%s", if (n >= 1 && n <= 9) words[n] else count_words(n), noun, if (n == 1) "" else "s")
}

study_lines_block <- function(x) new_block("study_lines", lines = section_lines(x))

block_study_lines <- function() {
  said <- function(one) paste("-", markdown_text(trimws(paste(one$head, one$text))))
  new_block_kind(
    terminal = function(block) {
      unlist(lapply(block$lines, function(one) headed(wrap_lines(one$text, 12, 12), one$head)))
    },
    markdown = function(block) c("", vapply(block$lines, said, ""), ""),
    html = function(block) c("<ul>", sprintf("<li>%s</li>", html_sentences(said_of_lines(block))), "</ul>"),
    latex = function(block) latex_items(latex_sentences(said_of_lines(block))),
    word = function(block, doc) add_word_lines(doc, paste("\u2022", said_of_lines(block)))
  )
}

said_of_lines <- function(block) {
  vapply(block$lines, function(one) trimws(paste(one$head, one$text)), "")
}

headed <- function(lines, head) {
  if (!nzchar(head)) return(lines)
  lines[1] <- sprintf("  %-9s %s", head, sub("^ +", "", lines[1]))
  lines
}

# What is told of each section: a list of list(head, text).
section_lines <- function(x) {
  steps <- x$steps
  line <- function(head, text) list(list(head = head, text = text))
  told <- x$data$told
  out <- list()
  for (name in names(told)) {
    words <- told[[name]]
    if (!is.null(words)) out <- c(out, line(sub(" /.*", "", name), words))
  }
  samples <- x$data$samples
  if (length(samples) > 0) {
    out <- c(out, line("samples", paste0(paste(c(
      sprintf("%s %s rows", names(samples)[1], count_words(samples[[1]])),
      sprintf("%s %s", names(samples)[-1], vapply(samples[-1], count_words, ""))
    ), collapse = ", "))))
  }
  for (section in c("fits", "appraise", "tests", "tables", "figures", "report")) {
    own <- steps[steps$section == section, ]
    if (nrow(own) == 0) next
    out <- c(out, line(section, section_words(section, own, x)), failed_lines(own, x))
  }
  out
}

section_words <- function(section, own, x) {
  n <- table(factor(own$state, c("run", "kept", "failed", "without")))
  if (section == "appraise" && all(own$state == "run")) {
    fits <- lapply(x$appraised, `[[`, "fit")
    return(paste(vapply(fits, appraised_words, ""), collapse = "; "))
  }
  if (section == "report" && all(own$state == "run")) {
    files <- x$outputs$file[x$outputs$step == "report"]
    return(list_words(files))
  }
  noted <- own$said[own$state %in% c("run", "kept") & nzchar(own$said)]
  names <- sub("^[^/]* / ", "", own$name)[own$state %in% c("run", "kept") & nzchar(own$said)]
  parts <- c(if (n[["run"]] > 0) paste(n[["run"]], if (section == "fits") "estimated" else "made"),
             if (n[["kept"]] > 0) paste(n[["kept"]], "kept"), if (n[["failed"]] > 0) paste(n[["failed"]], "failed"),
             if (n[["without"]] > 0) paste(n[["without"]], "left out"), if (length(noted) > 0) paste(names, noted))
  paste(parts, collapse = ", ")
}

appraised_words <- function(fit) first_lower(fit_title(fit))

first_lower <- function(x) paste0(lower_case(substr(x, 1, 1)), substring(x, 2))

failed_lines <- function(own, x) {
  lost <- own[own$state %in% c("failed", "without"), ]
  lapply(seq_len(nrow(lost)), function(i) {
    list(head = "", text = sprintf("%s:%s: %s: %s", basename(x$file), lost$line[i], sub("^[^/]* / ", "", lost$name[i]),
                                   lost$said[i]))
  })
}

#' @export
print.study_plan <- function(x, ...) {
  check_print_dots(..., of = print.study_plan)
  show_blocks(blocks_of(x))
  invisible(x)
}

#' @export
blocks_of.study_plan <- function(x, ...) {
  runs <- x[x$state == "runs", ]
  list(
    if (nrow(runs) > 0) new_block("plan", names = runs$name, why = runs$why),
    text_block(if (nrow(runs) == 0) sprintf("Nothing has changed: %s kept.", count_of(nrow(x), "step")) else
      sprintf("%s of %s would run.", count_words(nrow(runs)), count_of(nrow(x), "step")))
  )
}

# What would run, and why, a line each.
block_plan <- function() {
  new_block_kind(
    terminal = function(block) {
      at <- min(max(nchar(block$names)), 32)
      unlist(Map(function(name, why) {
        lines <- wrap_lines(why, at + 5, at + 5)
        if (nchar(name) > at) return(c(paste0("  ", name), lines))
        replace(lines, 1, sprintf("  %s  %s", formatC(name, width = -at), sub("^ +", "", lines[1])))
      }, block$names, block$why), use.names = FALSE)
    },
    markdown = function(block) c("", paste("-", markdown_text(why_lines(block))), ""),
    html = function(block) c("<ul>", sprintf("<li>%s</li>", html_safe(why_lines(block))), "</ul>"),
    latex = function(block) latex_items(latex_text(why_lines(block))),
    word = function(block, doc) add_word_lines(doc, why_lines(block))
  )
}

why_lines <- function(block) sprintf("%s: %s", block$names, block$why)

#' @export
print.study_code <- function(x, ...) {
  check_print_dots(..., of = print.study_code)
  show_blocks(code_block(as.character(x)))
  invisible(x)
}
