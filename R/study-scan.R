# A study file before YAML reads it. The scanner gives the line of every key and value, and refuses what YAML would read
# in another way than it is written, or leave out: tags, anchors, a second document, a comma within brackets, a key
# twice. It walks the lines by descent: `s` is an environment of lines, i        the lines, and the one that is looked
# at signs, col      within [ ] and { }: the signs of that line, and the one that is looked at
#   index           the places found so far, of path and line

scan_study <- function(lines) {
  s <- new.env(parent = emptyenv())
  s$lines <- lines
  s$i <- 1L
  s$index <- list()
  start_document(s)
  scan_node(s, 0L, character(), "the study")
  if (ahead_in(s)) scan_stray(s)
  s$index
}

start_document <- function(s) {
  if (ahead_in(s) && grepl("^---\\s*(#.*)?$", s$lines[s$i])) s$lines[s$i] <- ""
}

# To the next line that holds something, and whether there is one.
ahead_in <- function(s) {
  n <- length(s$lines)
  while (s$i <= n) {
    line <- s$lines[s$i]
    if (grepl("^(---|[.][.][.])(\\s|$)", line)) {
      study_fault(new_place(character(), s$i), "document", "a second document begins; a study is one.")
      s$i <- n + 1L
      return(FALSE)
    }
    if (!grepl("^\\s*(#|$)", line)) {
      if (grepl("^ *\t", line)) {
        study_fault(new_place(character(), s$i), "tab", "the line is indented with a tab; YAML takes blanks only.")
        s$lines[s$i] <- gsub("\t", "  ", line, fixed = TRUE)
      }
      return(TRUE)
    }
    s$i <- s$i + 1L
  }
  FALSE
}

# What stands at the next line, if that is at least so far in.
scan_node <- function(s, least, path, key) {
  if (!ahead_in(s)) return(invisible())
  indent <- indent_of(s$lines[s$i])
  if (indent < least) return(invisible())
  text <- text_of_line(s)
  if (is_item(text)) return(scan_items(s, indent, path, key))
  if (!is.null(key_of(text))) return(scan_keys(s, indent, path))
  scan_value(s, text, least - 1L, path, key)
}

scan_items <- function(s, indent, path, key) {
  if (too_deep(s, path)) return(invisible())
  k <- 0L
  while (ahead_in(s) && indent_of(s$lines[s$i]) == indent && is_item(text_of_line(s))) {
    k <- k + 1L
    item <- c(path, as.character(k))
    note_place(s, item, s$i)
    # The dash as a blank: what is behind it stands on its own.
    substr(s$lines[s$i], indent + 1L, indent + 1L) <- " "
    if (grepl("^\\s*(#.*)?$", s$lines[s$i])) s$i <- s$i + 1L
    scan_node(s, indent + 1L, item, key)
  }
}

scan_keys <- function(s, indent, path) {
  if (too_deep(s, path)) return(invisible())
  seen <- list()
  while (ahead_in(s) && indent_of(s$lines[s$i]) >= indent) {
    text <- text_of_line(s)
    at <- new_place(path, s$i)
    found <- key_of(text)
    if (indent_of(s$lines[s$i]) > indent || is.null(found)) {
      scan_stray(s)
      next
    }
    key <- found$key
    if (!is.null(seen[[key]])) {
      study_fault(new_place(c(path, key), s$i), "twice", sprintf("`%s` stands on line %d too.", key, seen[[key]]))
    } else {
      note_place(s, c(path, key), s$i)
    }
    seen[[key]] <- s$i
    if (key == "<<" || grepl("^[&*!?]", found$written)) {
      study_fault(at, "sign", sprintf("a key cannot begin with %s.", substr(found$written, 1, 1)))
    }
    if (!nzchar(found$rest)) {
      s$i <- s$i + 1L
      of_same <- ahead_in(s) && indent_of(s$lines[s$i]) == indent && is_item(text_of_line(s))
      if (of_same) scan_items(s, indent, c(path, key), key) else scan_node(s, indent + 1L, c(path, key), key)
    } else {
      scan_value(s, found$rest, indent, c(path, key), key)
    }
  }
}

# A line that is neither key nor value where it stands.
scan_stray <- function(s) {
  text <- text_of_line(s)
  at <- new_place(character(), s$i)
  if (grepl("^[^\"'\\[{ ]+:[^ ]", text)) {
    study_fault(at, "blank", sprintf("behind the colon of `%s` a blank is missing.", sub(":.*", "", text)))
  } else {
    study_fault(at, "stray", sprintf("%s fits neither the line above nor a key: look how far in it stands.",
                                     dQuote(short_text(text), FALSE)))
  }
  s$i <- s$i + 1L
}

# A value that begins behind its key, or on a line of its own; `indent` is that of what holds it.
scan_value <- function(s, text, indent, path, key) {
  at <- new_place(path, s$i)
  first <- substr(text, 1, 1)
  if (first %in% c("[", "{")) return(scan_brackets(s, text, indent, path))
  if (first %in% c("\"", "'")) return(scan_quoted(s, text, path))
  if (first %in% c("|", ">")) return(scan_lines_below(s, indent, grepl("^[|>][0-9+-]*\\s*(#.*)?$", text), at, key))
  if (text_begins_well(text, at, key)) {
    bare <- sub("\\s#.*$", "", text)
    if (grepl(":\\s", bare) || grepl(":$", bare)) {
      study_fault(at, "colon", sprintf("`%s`: a colon and a blank split a text. Put it in quotes: %s: %s.", key, key,
                                       quoted_value(bare)))
    }
  }
  comment <- grepl("\\s#", text)
  s$i <- s$i + 1L
  # A text goes on on lines that stand further in.
  while (!comment && s$i <= length(s$lines) && grepl("\\S", s$lines[s$i]) && indent_of(s$lines[s$i]) > indent) {
    line <- text_of_line(s)
    if (startsWith(line, "#")) break
    if (!is.null(key_of(line))) {
      study_fault(new_place(path, s$i), "stray", sprintf(
        "`%s`: %s would go on with the text of the line above: look how far in it stands.", key,
        dQuote(short_text(line), FALSE)
      ))
    }
    s$i <- s$i + 1L
  }
}

scan_lines_below <- function(s, indent, whole, at, key) {
  if (!whole) study_fault(at, "sign", sprintf("`%s`: a text cannot begin with %s. Put it in quotes.", key,
                                              substr(text_of_line(s), 1, 1)))
  s$i <- s$i + 1L
  while (s$i <= length(s$lines) && (!grepl("\\S", s$lines[s$i]) || indent_of(s$lines[s$i]) > indent)) s$i <- s$i + 1L
}

# A text in quotes, to its end, on this line or a later one.
scan_quoted <- function(s, text, path) {
  start <- s$i
  s$signs <- strsplit(s$lines[s$i], "")[[1]]
  s$col <- length(s$signs) - nchar(text) + 1L
  text_in_quotes(s)
  end <- if (s$i <= length(s$lines)) paste(s$signs[seq_along(s$signs) >= s$col], collapse = "") else ""
  if (s$i > length(s$lines)) {
    study_fault(new_place(path, start), "quotes", "the quotes opened here are not closed.")
  } else if (!grepl("^\\s*(#.*)?$", end) || grepl("^#", end)) {
    study_fault(new_place(path, s$i), "quotes", sprintf("%s stands behind a text in quotes.",
                                                        dQuote(short_text(trimws(end)), FALSE)))
  }
  s$i <- s$i + 1L
}
