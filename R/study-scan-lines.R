# What the scanner of a study knows of one line.

note_place <- function(s, path, line) s$index[[length(s$index) + 1L]] <- new_place(path, line)

indent_of <- function(line) nchar(sub("^( *).*$", "\\1", line))

text_of_line <- function(s) sub("^ *", "", s$lines[s$i])

is_item <- function(text) grepl("^-(\\s|$)", text)

most_levels <- 8L

# Whether what begins here would be deeper than that; nothing behind it is looked at.
too_deep <- function(s, path) {
  if (length(path) < most_levels) return(FALSE)
  study_fault(new_place(path, s$i), "depth", sprintf("this is deeper than %d levels.", most_levels))
  s$i <- length(s$lines) + 1L
  TRUE
}

# The key that a text begins with: list(key; written; rest, what is behind its colon without a comment); NULL for none.
key_of <- function(text) {
  quoted <- regmatches(text, regexec("^(\"(?:[^\"\\\\]|\\\\.)*\"|'(?:[^']|'')*')\\s*:(?:\\s+(.*))?$", text,
                                     perl = TRUE))[[1]]
  if (length(quoted) == 3) return(list(key = unquoted(quoted[2]), written = quoted[2],
                                       rest = without_comment(quoted[3])))
  if (grepl("^[\"'\\[{|>]", text)) return(NULL)
  at <- regexpr(":(\\s|$)", text)
  comment <- regexpr("(^|\\s)#", text)
  if (at < 1 || comment > 0 && comment < at) return(NULL)
  written <- trimws(substr(text, 1, at - 1))
  list(key = written, written = written, rest = without_comment(trimws(substring(text, at + 1))))
}

unquoted <- function(text) {
  if (startsWith(text, "'")) return(gsub("''", "'", substr(text, 2, nchar(text) - 1), fixed = TRUE))
  tryCatch(yaml::yaml.load(text, eval.expr = FALSE), error = function(cnd) text)
}

# A comment that is all there is.
without_comment <- function(text) if (grepl("^\\s*(#.*)?$", text)) "" else text

quoted_value <- function(text) {
  text <- trimws(text)
  if (grepl("[\"\\\\]", text)) paste0("'", gsub("'", "''", text), "'") else paste0("\"", text, "\"")
}

# Signs that mean something else to YAML.
text_begins_well <- function(text, at, key) {
  first <- substr(text, 1, 1)
  where <- if (is.null(key)) "" else sprintf("`%s`: ", key)
  help <- if (is.null(key) || grepl("^[&*]", text)) "." else sprintf(": %s: %s.", key,
                                                                     quoted_value(sub("\\s#.*$", "", text)))
  if (first %in% c("&", "*")) {
    study_fault(at, "anchor",
                paste0(where, "anchors (&) and aliases (*) are not taken. `common` and `like` share keys; ",
                                     "a text stands in quotes."))
    return(FALSE)
  }
  if (first == "!") {
    study_fault(at, "tag", paste0(where, "YAML takes what begins with ! as a tag, and drops it. Put it in quotes",
                                  help))
    return(FALSE)
  }
  if (first %in% c("`", "@", "%", "]", "}", ",") || grepl("^[?-](\\s|$)", text)) {
    study_fault(at, "sign", sprintf("%sa text cannot begin with %s. Put it in quotes%s", where, first,
                                    if (first == "`") "." else help))
    return(FALSE)
  }
  TRUE
}
