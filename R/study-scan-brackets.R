# What stands within [ ] and { } of a study file, sign by sign.

# The list or map that a text begins with, to its end. `indent` is that of the line that holds it.
scan_brackets <- function(s, text, indent, path) {
  s$signs <- strsplit(s$lines[s$i], "")[[1]]
  s$col <- length(s$signs) - nchar(text) + 1L
  start <- s$i
  if (!scan_open(s, path, indent)) {
    s$i <- max(s$i, start + 1L)
    return(invisible())
  }
  end <- paste(s$signs[seq_along(s$signs) >= s$col], collapse = "")
  if (!grepl("^\\s*(#.*)?$", end) || grepl("^#", end)) {
    study_fault(new_place(path, s$i), "brackets",
                sprintf("%s stands behind what is in brackets. Put all of it in quotes.",
                                                          dQuote(short_text(trimws(end)), FALSE)))
  }
  s$i <- s$i + 1L
}

# From an opening bracket to behind its end; FALSE where that is not found.
scan_open <- function(s, path, indent) {
  open <- s$signs[s$col]
  close <- if (open == "[") "]" else "}"
  if (too_deep(s, path)) return(FALSE)
  at <- new_place(path, s$i)
  seen <- list()
  k <- 0L
  s$col <- s$col + 1L
  repeat {
    if (!next_sign(s, at, open, indent)) return(FALSE)
    sign <- s$signs[s$col]
    if (sign == close) {
      s$col <- s$col + 1L
      return(TRUE)
    }
    if (sign == ",") {
      s$col <- s$col + 1L
      next
    }
    if (sign %in% c("]", "}")) {
      study_fault(new_place(path, s$i), "brackets", sprintf("%s closes what %s opened.", sign, open))
      return(FALSE)
    }
    k <- k + 1L
    inner <- if (open == "[") c(path, as.character(k)) else path
    line <- s$i
    if (open == "[") note_place(s, inner, line)
    if (sign %in% c("[", "{")) {
      if (open == "{") {
        study_fault(new_place(path, s$i), "key", "a key is a text, no list.")
        return(FALSE)
      }
      if (!scan_open(s, inner, indent)) return(FALSE)
      next
    }
    word <- flow_text(s, inner, open)
    if (is.null(word)) return(FALSE)
    colon <- word$key
    if (open == "{") {
      if (!is.null(seen[[word$text]])) {
        study_fault(new_place(path, line), "twice", sprintf("`%s` stands on line %d too.", word$text,
                                                            seen[[word$text]]))
      } else {
        note_place(s, c(path, word$text), line)
      }
      seen[[word$text]] <- line
    } else if (colon) {
      note_place(s, c(inner, word$text), line)
    }
    if (colon && !scan_pair_value(s, c(inner, word$text), indent, open, at)) return(FALSE)
  }
}

# What is behind a key's colon.
scan_pair_value <- function(s, path, indent, open, at) {
  if (!next_sign(s, at, open, indent)) return(FALSE)
  sign <- s$signs[s$col]
  if (sign %in% c(",", "]", "}")) return(TRUE)
  if (sign %in% c("[", "{")) return(scan_open(s, path, indent))
  word <- flow_text(s, path, open, path[length(path)])
  if (is.null(word)) return(FALSE)
  if (word$key) {
    study_fault(new_place(path, s$i), "colon", sprintf("`%s`: a colon and a blank split a text. Put it in quotes.",
                                                       path[length(path)]))
  }
  !word$key
}

# To the next sign that is no blank and no comment; a line that does not stand further in ends what was not closed.
next_sign <- function(s, at, open, indent) {
  repeat {
    n <- length(s$signs)
    while (s$col <= n && grepl("\\s", s$signs[s$col])) s$col <- s$col + 1L
    comment <- s$col <= n && s$signs[s$col] == "#" && (s$col == 1L || grepl("\\s", s$signs[s$col - 1L]))
    if (s$col <= n && !comment) return(TRUE)
    s$i <- s$i + 1L
    there <- s$i <= length(s$lines)
    if (there && grepl("^\\s*(#|$)", s$lines[s$i])) {
      s$signs <- character()
      s$col <- 1L
      next
    }
    if (!there || indent_of(s$lines[s$i]) <= indent) {
      before <- if (there) sprintf("before `%s` on line %d", line_head(s$lines[s$i]), s$i) else "to the end"
      study_fault(at, "brackets", sprintf("the %s opened here is not closed %s.", open, before))
      return(FALSE)
    }
    s$signs <- strsplit(s$lines[s$i], "")[[1]]
    s$col <- 1L
  }
}

line_head <- function(line) {
  found <- key_of(sub("^ *", "", line))
  if (is.null(found)) short_text(trimws(line)) else found$key
}

# A text within brackets: list(text; key, whether a colon makes it one), NULL where it cannot be read.
flow_text <- function(s, path, open, key = NULL) {
  at <- new_place(path, s$i)
  sign <- s$signs[s$col]
  if (sign %in% c("\"", "'")) {
    text <- text_in_quotes(s)
    if (s$i > length(s$lines)) {
      study_fault(at, "quotes", "the quotes opened here are not closed.")
      return(NULL)
    }
    return(list(text = text, key = takes_colon(s, quoted = TRUE)))
  }
  rest <- paste(s$signs[seq_along(s$signs) >= s$col], collapse = "")
  if (sign %in% c("|", ">")) {
    study_fault(at, "sign", sprintf("a text within %s cannot begin with %s. Put it in quotes.", brackets_of(open),
                                    sign))
    return(NULL)
  }
  if (!text_begins_well(rest, at, NULL)) return(NULL)
  start <- s$col
  depth <- 0L
  n <- length(s$signs)
  while (s$col <= n) {
    sign <- s$signs[s$col]
    after <- if (s$col < n) s$signs[s$col + 1L] else " "
    depth <- depth + (sign == "(") - (sign == ")")
    if (sign == ":" && grepl("[ ,\\]}]", after, perl = TRUE)) break
    if (sign == "#" && grepl("\\s", s$signs[s$col - 1L])) break
    if (sign == "," && depth > 0L) {
      study_fault(at, "comma", sprintf("%sthe comma in %s ends the text, as it stands within %s. Put it in quotes.",
                                       if (is.null(key)) "" else sprintf("`%s`: ", key),
                                       dQuote(call_around(s, start), FALSE), brackets_of(open)))
      s$col <- s$col + nchar(rest_of_call(s, depth)) - 1L
      depth <- 0L
    } else if (sign %in% c(",", "]", "}")) {
      break
    } else if (sign %in% c("[", "{")) {
      study_fault(at, "brackets", sprintf("a text within %s cannot hold %s. Put it in quotes.", brackets_of(open),
                                          sign))
      return(NULL)
    }
    s$col <- s$col + 1L
  }
  text <- trimws(paste(s$signs[seq(start, length.out = s$col - start)], collapse = ""))
  list(text = text, key = takes_colon(s, quoted = FALSE))
}

brackets_of <- function(open) if (open == "[") "[ ]" else "{ }"

# From here to the bracket that closes the call.
rest_of_call <- function(s, depth) {
  signs <- s$signs[seq_along(s$signs) >= s$col]
  level <- depth + cumsum((signs == "(") - (signs == ")"))
  end <- match(0L, level, nomatch = length(signs))
  paste(signs[seq_len(end)], collapse = "")
}

call_around <- function(s, start) {
  signs <- s$signs[seq_along(s$signs) >= start]
  level <- cumsum((signs == "(") - (signs == ")"))
  opened <- match(1L, level)
  end <- which(level == 0L & seq_along(level) > opened)
  trimws(paste(signs[seq_len(if (length(end) > 0) end[1] else length(signs))], collapse = ""))
}

# Over a colon that makes what stands before it a key.
takes_colon <- function(s, quoted) {
  at <- s$col
  n <- length(s$signs)
  if (quoted) while (at <= n && s$signs[at] == " ") at <- at + 1L
  if (at > n || s$signs[at] != ":") return(FALSE)
  s$col <- at + 1L
  TRUE
}

# From an opening quote to behind the closing one, over lines; the text.
text_in_quotes <- function(s) {
  mark <- s$signs[s$col]
  text <- mark
  s$col <- s$col + 1L
  repeat {
    if (s$col > length(s$signs)) {
      s$i <- s$i + 1L
      if (s$i > length(s$lines)) return(text)
      s$signs <- strsplit(s$lines[s$i], "")[[1]]
      s$col <- 1L
      text <- paste0(text, "\n")
      next
    }
    sign <- s$signs[s$col]
    after <- if (s$col < length(s$signs)) s$signs[s$col + 1L] else ""
    pair <- if (mark == "'") sign == "'" && after == "'" else sign == "\\"
    text <- paste0(text, sign, if (pair) after)
    s$col <- s$col + if (pair) 2L else 1L
    if (!pair && sign == mark) return(unquoted(text))
  }
}
