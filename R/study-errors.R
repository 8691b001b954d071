# Standard errors of a study: a word, a name of the study's own, or a kind with its arguments. Each becomes the call
# that makes the specification.

study_error_keys <- c("kind", "by", "type", "df", "lags", "draws", "seed", "scheme", "combine", "leverages", "pairs")

# The study's own errors: calls by name, faulty ones too.
study_errors <- function(node, seed) {
  entries <- section_entries(node)
  Map(function(name, entry) {
    if (is_empty(entry)) {
      return(study_fault(entry, "kind", sprintf("the errors `%s` do not say their `kind`, one of %s.", name,
                                                list_words(names(error_words())))))
    }
    error_map_call(entry, sprintf("the errors `%s`", name), seed)
  }, names(entries), entries)
}

# The call of one kind of errors.
errors_of <- function(node, study) {
  if (is_node(node, "map")) return(error_map_call(node, "`errors`", study$seed))
  if (!is_node(node, "text")) return(not_of_type(node, "a word, a name or a kind of errors"))
  own <- study$errors[[node$text]]
  if (!is.null(own)) return(own)
  found <- error_word_of(node$text)
  if (!is.null(found)) return(with_seed(error_call(found$word, lags = found$lags), study$seed))
  stop_errors_name(node, names(study$errors))
}

stop_errors_name <- function(node, own = character()) {
  near <- nearest_name(node$text, c(own, names(error_words())))
  known <- if (length(near) == 0) sprintf(" There are %s.", list_words(c(own, names(error_words()))))
  study_fault(node, "errors", paste0(sprintf("`%s`: no errors are called `%s`.", node_key(node),
                                             short_text(node$text)), known), near)
}

error_map_call <- function(node, whose, seed) {
  check_known_keys(node$items, study_error_keys, whose)
  kind <- node$items[["kind"]]
  if (!is_node(kind, "text")) {
    return(study_fault(if (is.null(kind)) node else kind, "kind",
                       sprintf("%s do not say their `kind`, one of %s.", whose,
                                                                          list_words(names(error_words())))))
  }
  found <- error_word_of(kind$text)
  if (is.null(found)) return(stop_errors_name(kind))
  takes <- door_types(found$word$door)
  given <- node$items[setdiff(intersect(names(node$items), study_error_keys), "kind")]
  for (key in setdiff(names(given), names(takes))) {
    study_fault(given[[key]], "key", sprintf("%s errors take no `%s`.", kind$text, key))
  }
  values <- read_keys(given, takes)
  if (!is_sound(values)) return(faulty())
  arguments <- c(list(found$word, by = values$by), values[setdiff(names(values), "by")])
  if (!is.null(found$lags)) arguments$lags <- found$lags
  with_seed(do.call(error_call, arguments), seed)
}

# The study's seed, where the function draws and none is given.
with_seed <- function(call, seed) {
  door <- as.character(call[[1]])
  draws <- "seed" %in% names(formals(get(door, mode = "function"))) &&
    (door != "se_robust" || identical(call$leverages, "estimated"))
  if (draws && is.null(call$seed) && !is.null(seed) && seed != 1) call$seed <- seed
  call
}
