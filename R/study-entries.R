# Entries of a section: names, what each starts from, and what it is.

# The entries by name: a map of them, or a list of bare names.
section_entries <- function(node) {
  if (is_empty(node)) return(list())
  if (is_node(node, "map")) {
    entries <- node$items
  } else {
    items <- node_items(node)
    bare <- vapply(items, is_node, TRUE, "text")
    for (one in items[!bare]) {
      study_fault(one, "entry", sprintf("`%s` takes bare names in a list, or a map of names and their keys.",
                                        node_key(node)))
    }
    items <- items[bare]
    entries <- stats::setNames(lapply(items, function(one) new_node("empty", c(node$path, one$text), one$line)),
                               vapply(items, `[[`, "", "text"))
    again <- duplicated(names(entries))
    for (one in entries[again]) study_fault(one, "twice", sprintf("`%s` stands in the list twice.", node_key(one)))
    entries <- entries[!again]
  }
  Map(checked_entry, names(entries), entries)
}

most_name_signs <- 60
reserved_names <- c("all", "none", "recommended")

checked_entry <- function(name, node) {
  check_entry_name(name, node)
  if (is_node(node, "text", "list")) {
    study_fault(node, "entry", sprintf("the entry `%s` takes keys, such as {model: fixed}.", name))
    return(new_node("empty", node$path, node$line))
  }
  node
}

check_entry_name <- function(name, node) {
  if (nchar(name) > most_name_signs) {
    study_fault(node, "name", sprintf("a name has at most %d signs; this has %d.", most_name_signs, nchar(name)))
  }
  odd <- regmatches(name, regexpr("[,/:*\"']", name))
  if (length(odd) > 0) study_fault(node, "name", sprintf("the name `%s` holds %s, which joins names here.", name, odd))
  if (name %in% reserved_names) study_fault(node, "name",
                                            sprintf("`%s` means something else here: give it another name.",
                                                                  name))
}

# The levels of an entry, what it starts from first: a list of nodes; NULL where they cannot be followed. An entry whose
# name says what it is says so to those that start from it.
entry_levels <- function(name, entries, block) {
  section <- block$name
  entries <- Map(function(entry, called) {
    word <- word_key(called)
    if (word %in% names(block$doors) && is.null(entry$items[[block$kind]])) {
      entry$items[[block$kind]] <- new_node("text", c(entry$path, block$kind), entry$line, word)
    }
    entry
  }, entries, names(entries))
  chain <- list(entries[[name]])
  seen <- name
  repeat {
    like <- chain[[1]]$items[["like"]]
    if (is_empty(like)) return(chain)
    target <- like$text
    if (!is_node(like, "text") || !target %in% names(entries)) {
      study_fault(like, "reference", sprintf("no %s is called `%s`.", one_of_section(section), short_text(target)),
                  nearest_name(target, setdiff(names(entries), name)))
      return(NULL)
    }
    if (target %in% seen) {
      in_circle <- c(seen[seq(match(target, seen), length(seen))], target)
      first <- entries[[in_circle[which.min(vapply(in_circle, function(one) entries[[one]]$line, 1))]]]
      from <- match(first$path[2], in_circle)
      ring <- in_circle[-length(in_circle)]
      ring <- ring[(seq_along(ring) + from - 2) %% length(ring) + 1]
      study_fault(first$items[["like"]], "circle",
                  sprintf("`like` goes in a circle: %s.", paste(c(ring, ring[1]), collapse = ", ")))
      return(NULL)
    }
    seen <- c(seen, target)
    chain <- c(list(entries[[target]]), chain)
  }
}

one_of_section <- function(section) sub("s$", "", section)

# The keys of all levels, later ones in place of earlier; `none` takes back.
merged_keys <- function(levels) {
  keys <- list()
  for (level in levels) {
    for (key in setdiff(names(level$items), "like")) {
      keys[[key]] <- if (!is_none(level$items[[key]])) level$items[[key]]
    }
  }
  keys
}

# What an entry is: the word of its kind, or its name where that is one. NULL with a fault where neither says.
entry_word <- function(name, keys, block, node) {
  section <- one_of_section(block$name)
  words <- names(block$doors)
  own <- if (word_key(name) %in% words) word_key(name)
  given <- keys[[block$kind]]
  if (is_empty(given)) {
    if (!is.null(own)) return(own)
    if (!is.null(block$usual)) return(block$usual)
    # What it is like does not say it either, and that is told there.
    if (is_empty(node$items[["like"]])) {
      study_fault(node, "kind", sprintf("the %s `%s` does not say its `%s`, one of %s.", section, name, block$kind,
                                        list_words(words)), nearest_name(word_key(name), words))
    }
    return(NULL)
  }
  word <- word_key(given$text)
  if (!is_node(given, "text") || !word %in% words) {
    study_fault(given, "kind", sprintf("`%s`: no %s is called `%s`.", block$kind, block$kind, short_text(given$text)),
                nearest_name(word, words))
    return(NULL)
  }
  like <- node$items[["like"]]
  from_like <- !is_empty(like) && is.null(node$items[[block$kind]])
  if (!is.null(own) && (own != word || from_like && word_key(like$text) %in% setdiff(words, own))) {
    by <- if (from_like) paste("like:", like$text) else paste0(block$kind, ": ", given$text)
    study_fault(if (from_like) like else given, "kind", sprintf(
      "%s %s called `%s` is %s %s %s; `%s` makes it another. Give it another name.", article_of(section), section, name,
      article_of(name), name, section, by
    ))
    return(NULL)
  }
  word
}

# Keys that nobody knows, told with what is near.
check_known_keys <- function(keys, known, whose) {
  for (key in setdiff(names(keys), known)) {
    near <- near_keys(key, known)
    rest <- if (length(near) == 0) sprintf(" It has %s.", list_words(sprintf("`%s`", known)))
    study_fault(keys[[key]], "key", paste0(sprintf("%s has no key `%s`.", whose, key), rest), near)
  }
}

# The arguments that keys of these types give, by name.
read_keys <- function(keys, types) {
  values <- list()
  for (key in intersect(names(keys), names(types))) {
    if (is_empty(keys[[key]])) next
    values[[key]] <- types[[key]]$read(keys[[key]])
  }
  values
}

is_sound <- function(values) !any(vapply(values, is_faulty, TRUE))
