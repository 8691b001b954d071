# What results and messages advise is R code between backticks. It is read as the calls that it is, and a call that the
# command line has an option for is shown as that.

as_options <- function(text) {
  known <- !is.na(text)
  text[known] <- code_spans_as_options(text[known])
  text
}

code_spans_as_options <- function(text) {
  found <- gregexpr("`[^`]+`", text)
  regmatches(text, found) <- lapply(regmatches(text, found), function(codes) vapply(codes, code_as_options, ""))
  text
}

blocks_in_options <- function(blocks) {
  prose <- c("text", "items", "heads", "lines")
  lapply(flat_blocks(blocks), function(block) {
    if (block$kind == "code") return(block)
    for (field in intersect(prose, names(block))) block[[field]] <- said_in_options(block[[field]])
    if (block$kind == "table") block$table <- table_in_options(block$table)
    block
  })
}

said_in_options <- function(said) if (is.list(said)) lapply(said, as_options) else as_options(said)

table_in_options <- function(table) {
  for (key in table$columns$key[table$columns$form == "prose"]) {
    table$cells[[key]]$text <- as_options(table$cells[[key]]$text)
  }
  table
}

# All texts of values that go out as data.
values_in_options <- function(values) rapply(values, as_options, "character", how = "replace")

code_as_options <- function(code) {
  call <- tryCatch(str2lang(sprintf("list(%s)", substr(code, 2, nchar(code) - 1))), error = function(cnd) NULL)
  if (length(call) == 2 && is_operator(call[[2]], "?")) return(paste(code, "in R"))
  words <- if (is.call(call)) options_of_parts(as.list(call)[-1])
  if (is.null(words)) code else paste0("`", paste(words, collapse = " "), "`")
}

# Shell words for one call, one argument's name, or arguments with their values; NULL where there are none.
options_of_parts <- function(parts) {
  if (length(parts) == 0) return(NULL)
  flags <- flag_names()
  if (is.null(names(parts))) {
    if (length(parts) > 1) return(NULL)
    one <- parts[[1]]
    if (is.call(one) && is.symbol(one[[1]])) return(options_of_call(one))
    return(if (is.symbol(one)) flags[[as.character(one)]])
  }
  if (identical(parts, list(effects = FALSE))) return("--average")
  if (!all(names(parts) %in% names(flags))) return(NULL)
  values <- lapply(parts, option_value)
  if (any(vapply(values, is.null, TRUE))) return(NULL)
  unlist(Map(function(flag, value) c(flag, if (nzchar(value)) shell_words(value)), flags[names(parts)], values),
         use.names = FALSE)
}

# The flags of all commands by argument.
flag_names <- function() {
  options <- unlist(lapply(cli_commands(), `[[`, "options"), recursive = FALSE)
  flags <- stats::setNames(paste0("--", vapply(options, `[[`, "", "name")), vapply(options, `[[`, "", "argument"))
  as.list(flags[!duplicated(names(flags))])
}

# A literal, c() of them with or without names, or a one-sided formula, as an option takes it; NULL for other things.
option_value <- function(part) {
  if (isTRUE(part)) return("")
  if (is.atomic(part)) return(as.character(part))
  if (is_operator(part, "~") && length(part) == 2) return(deparse_words(part[[2]]))
  if (!is_operator(part, "c") || !all(vapply(as.list(part)[-1], is.atomic, TRUE))) return(NULL)
  values <- vapply(as.list(part)[-1], as.character, "")
  keys <- if (!is.null(names(values))) ifelse(nzchar(names(values)), paste0(names(values), "="), "")
  list_option(paste0(keys, values))
}

options_of_call <- function(call) {
  name <- as.character(call[[1]])
  if (name == "with_errors" && length(call) == 3 && is.call(call[[3]])) return(options_of_call(call[[3]]))
  if (startsWith(name, "se_")) return(error_options(call))
  method <- sub("^fit_", "", name)
  if (startsWith(name, "fit_") && method %in% fit_method_names) {
    effects <- if (!is.null(call$effects)) option_value(call$effects)
    return(c("--model", method, if (!is.null(effects)) c("--effects", shell_words(effects))))
  }
  switch(name, test_mundlak = c("wavetax", "appraise"), influence_by = c("--out", "DIR"))
}

# The word of --errors that makes the same specification, and its clusters.
error_options <- function(call) {
  spec <- plain_error_spec(call)
  if (is.null(spec)) return(NULL)
  same <- vapply(error_words(), function(word) {
    identical(error_identity(eval(error_call(word), home())), error_identity(spec))
  }, TRUE)
  if (!any(same)) return(NULL)
  word <- names(which(same))[1]
  if (!is.null(spec$lags)) word <- paste0(word, "-", spec$lags)
  by <- if (is.list(spec$by) && spec$named) paste(vapply(spec$by, paste, "", collapse = ":"), collapse = "+")
  c(if (word != "clustered" || is.null(by)) c("--errors", word), if (!is.null(by)) c("--by", shell_words(by)))
}

# A call of literals and formulas as the specification; nothing else is evaluated.
plain_error_spec <- function(call) {
  doors <- list(se_classical = se_classical, se_robust = se_robust, se_clustered = se_clustered,
                se_newey_west = se_newey_west, se_driscoll_kraay = se_driscoll_kraay, se_bootstrap = se_bootstrap,
                se_panel_corrected = se_panel_corrected)
  door <- doors[[as.character(call[[1]])]]
  parts <- lapply(as.list(call)[-1], function(part) {
    if (is_operator(part, "~") && length(part) == 2) return(rlang::new_formula(NULL, part[[2]], emptyenv()))
    if (is.symbol(part)) as.character(part) else part
  })
  plain <- vapply(parts, function(part) is.atomic(part) || rlang::is_formula(part), TRUE)
  if (is.null(door) || !all(plain)) return(NULL)
  tryCatch(do.call(door, parts), wavetax_error = function(cnd) NULL)
}

# What tells kinds of errors apart, whatever they cluster by.
error_identity <- function(spec) c(class(spec)[1], unlist(spec[c("type", "df", "scheme")]))
