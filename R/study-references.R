# Where one section names what another has: fits by tests, tables and figures, tests by tables.

# A reference is list(head, what tells its column apart; name, of the step; expr, its value in the code; many, whether
# that is a list of fits; member, the fit's, NULL for what an appraisal recommends).
new_reference <- function(head, name, expr, many = FALSE, member = NULL) {
  list(head = head, name = name, expr = expr, many = many, member = member)
}

fit_reference <- function(member, head = member$name) {
  new_reference(head, paste("fits /", member$name), call("[[", quote(fits), member$name), member$many, member)
}

# The references of a node: names, patterns, heads with names. NULL and a fault where one is not known.
fit_references <- function(node, study) {
  items <- named_items(node)
  found <- lapply(seq_along(items), function(i) {
    one <- items[[i]]
    head <- if (!is.null(names(items))) names(items)[i] else ""
    if (!is_node(one, "text")) {
      not_of_type(one, "the name of a fit")
      return(NULL)
    }
    with_head(references_of(one, study), head)
  })
  if (any(vapply(found, is.null, TRUE))) return(NULL)
  unlist(found, recursive = FALSE)
}

with_head <- function(references, head) {
  if (!nzchar(head) || is.null(references)) return(references)
  lapply(references, function(one) {
    labels <- one$member$labels
    one$head <- if (length(references) > 1) paste(c(head, labels), collapse = ", ") else head
    one
  })
}

references_of <- function(node, study) {
  text <- trimws(node$text)
  known <- names(study$fits)
  # A study without fits is told as such.
  if (length(known) == 0) return(list())
  if (text == "recommended") return(recommended_references(node, study))
  if (text == "all") return(all_references(study))
  if (text %in% known) return(entry_references(study$fits[[text]]))
  if (grepl("*", text, fixed = TRUE)) {
    hit <- known[grepl(utils::glob2rx(text), known)]
    if (length(hit) > 0) return(unlist(lapply(hit, function(one) entry_references(study$fits[[one]])),
                                       recursive = FALSE))
  }
  parts <- trimws(strsplit(text, "/", fixed = TRUE)[[1]])
  entry <- parts[1]
  if (length(parts) > 1 && entry %in% known) return(member_reference(node, entry, parts[-1], study))
  near <- nearest_name(text, known)
  rest <- if (length(near) == 0) sprintf(" There are %s.", list_some(sprintf("`%s`", known), 12))
  study_fault(node, "reference", paste0(sprintf("no fit is called `%s`.", short_text(text)), rest), near)
  NULL
}

all_references <- function(study) unlist(lapply(unname(study$fits), entry_references), recursive = FALSE)

# Heads are what tells members apart.
entry_references <- function(members) {
  lapply(members, function(member) {
    fit_reference(member, if (length(member$labels) > 0) paste(member$labels, collapse = ", ") else member$name)
  })
}

member_reference <- function(node, entry, rest, study) {
  members <- study$fits[[entry]]
  # An entry with a fault of its own is told there.
  if (length(members) == 0) return(list())
  if (length(members) == 1 && members[[1]]$many) {
    whole <- fit_reference(members[[1]])
    whole$expr <- call("[[", whole$expr, paste(rest, collapse = " / "))
    whole$many <- FALSE
    whole$head <- rest[1]
    return(list(whole))
  }
  called <- paste(c(entry, rest), collapse = " / ")
  names <- vapply(members, `[[`, "", "name")
  if (called %in% names) return(entry_references(members[names == called]))
  known <- sub(paste0(entry, " / "), "", names, fixed = TRUE)
  near <- nearest_name(paste(rest, collapse = " / "), known)
  told <- if (length(near) == 0) sprintf(" It has %s.", list_some(sprintf("`%s`", known), 12))
  study_fault(node, "reference", paste0(sprintf("`%s` has no member `%s`.", entry, paste(rest, collapse = " / ")),
                                        told),
              near)
  NULL
}

recommended_references <- function(node, study) {
  if (length(study$appraise) == 0) {
    study_fault(node, "reference", "`recommended` is what `appraise` chooses, and the study has none.")
    return(NULL)
  }
  lapply(study$appraise, function(one) {
    head <- if (length(one$labels) > 0) paste("recommended,", paste(one$labels, collapse = ", ")) else "recommended"
    new_reference(head, one$step, call("$", call("[[", quote(appraised), one$name), quote(fit)))
  })
}

# Heads that no two columns share: those of members of several entries have the entry's before them.
unlike_heads <- function(references) {
  heads <- vapply(references, `[[`, "", "head")
  twice <- heads %in% heads[duplicated(heads)]
  for (i in which(twice)) {
    member <- references[[i]]$member
    if (!is.null(member) && length(member$labels) > 0) {
      references[[i]]$head <- paste(c(member$entry, member$labels), collapse = ", ")
    }
  }
  references
}

# One fit, where one is asked for.
one_reference <- function(node, study) {
  found <- fit_references(node, study)
  if (is.null(found) || length(found) == 0) return(NULL)
  if (length(found) == 1 && !found[[1]]$many) return(found[[1]])
  study_fault(node, "reference", sprintf("`%s` takes one fit; `%s` is several: name one, `%s / NAME`.", node_key(node),
                                         short_text(node$text), short_text(node$text)))
  NULL
}
