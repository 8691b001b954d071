# A study's tree as nodes, each of which knows where it stands: list(kind, text, items, path, line), of kind "text",
# "map" (items by name), "list" (items in order) or "empty".

study_nodes <- function(read) as_node(read$tree, character(), read$places, 1L)

as_node <- function(x, path, places, line) {
  here <- unname(places[path_key(path)])
  if (length(path) > 0 && !is.na(here)) line <- here
  if (!is.list(x)) return(new_node(if (nzchar(x)) "text" else "empty", path, line, text = x))
  keys <- if (is_map(x)) names(x) else as.character(seq_along(x))
  items <- Map(function(one, key) as_node(one, c(path, key), places, line), unname(x), keys)
  new_node(if (length(x) == 0) "empty" else if (is_map(x)) "map" else "list", path, line,
           items = if (is_map(x)) stats::setNames(items, keys) else unname(items))
}

new_node <- function(kind, path, line, text = "", items = list()) {
  list(kind = kind, text = text, items = items, path = path, line = line)
}

# The key that a node is the value of, or an element of.
node_key <- function(node) {
  named <- node$path[!grepl("^[0-9]+$", node$path)]
  if (length(named) == 0) "the study" else named[length(named)]
}

is_node <- function(node, ...) !is.null(node) && node$kind %in% c(...)
is_empty <- function(node) is.null(node) || node$kind == "empty"
is_none <- function(node) is_node(node, "text") && node$text == "none"

# A value where one or several may stand, as a list of nodes.
node_items <- function(node) {
  if (is_empty(node)) list() else if (node$kind == "list") node$items else list(node)
}

# Named values: a text, a list, a map, or a list with maps of one, as a list of nodes whose names are "" where they have
# none. Texts are asked for unless `inner` says that more may stand there.
named_items <- function(node) {
  if (is_node(node, "map")) return(node$items)
  items <- node_items(node)
  pairs <- vapply(items, function(one) is_node(one, "map") && length(one$items) == 1, TRUE)
  names <- vapply(seq_along(items), function(i) if (pairs[i]) names(items[[i]]$items) else "", "")
  stats::setNames(lapply(seq_along(items), function(i) if (pairs[i]) items[[i]]$items[[1]] else items[[i]]), names)
}

node_texts <- function(node) vapply(node_items(node), function(one) one$text, "")
