# A study file as a tree of texts: maps are named lists, lists are unnamed, every scalar is the text that stands there.

# list(file, folder, tree, lines, by path), or the faults of writing.
read_study <- function(file) {
  check_package("yaml", "reads study files")
  lines <- study_lines(file)
  index <- checked_round(scan_study(lines), file)
  tree <- tryCatch(yaml_tree(lines), error = function(cnd) stop_not_yaml(cnd, file))
  places <- stats::setNames(vapply(index, `[[`, 1L, "line"), vapply(index, function(one) path_key(one$path), ""))
  odd <- c(setdiff(tree_paths(tree), names(places)), setdiff(names(places), tree_paths(tree)))
  if (length(odd) > 0 || !is_map(tree)) {
    line <- places[odd[odd %in% names(places)]]
    stop_study(file, data.frame(line = if (length(line) > 0) min(line) else 1L, key = "", kind = "writing", near = "",
                                found = "this is written in a way that a study does not take."))
  }
  list(file = file, folder = dirname(file), tree = tree, places = places)
}

path_key <- function(path) paste(path, collapse = "\u001f")
is_map <- function(x) is.list(x) && !is.null(names(x))

most_bytes <- 1e6

study_lines <- function(file) {
  check_text(file, "file", "Give the path of a study: `run_study(\"study.yaml\")`.")
  check_is_file(file)
  wrong <- function(found, line = NA_integer_) {
    stop_study(file, data.frame(line = line, key = "", kind = "file", found = found, near = ""))
  }
  size <- file.size(file)
  if (size > most_bytes) wrong(sprintf("the file has %s bytes; a study has at most a million.", count_words(size)))
  bytes <- readBin(file, "raw", size)
  if (any(bytes == 0)) wrong("this is no text.")
  lines <- strsplit(sub("^\xef\xbb\xbf", "", rawToChar(bytes), useBytes = TRUE), "\r\n|\n|\r", useBytes = TRUE)[[1]]
  bad <- which(!validUTF8(lines))
  if (length(bad) > 0) wrong("the line is not in UTF-8: save the file in that encoding.", bad[1])
  Encoding(lines) <- "UTF-8"
  if (!any(grepl("^\\s*[^#[:space:]]",
                 lines))) wrong("nothing stands in it. `wavetax init DIR` writes a study to start from.")
  lines
}

check_is_file <- function(file) {
  if (file.exists(file) && !dir.exists(file)) return(invisible())
  stop_no_file(file, "`wavetax init DIR` writes a study to start from.")
}

# Tags that YAML would give a meaning of its own.
plain_tags <- c("bool#yes", "bool#no", "bool#na", "int", "int#oct", "int#hex", "int#base60", "int#na", "float",
                "float#fix", "float#exp", "float#base60", "float#inf", "float#neginf", "float#nan", "float#na", "null",
                "timestamp#iso8601", "timestamp#spaced", "timestamp#ymd")

yaml_tree <- function(lines) {
  handlers <- stats::setNames(rep(list(identity), length(plain_tags)), plain_tags)
  tree <- yaml::yaml.load(paste0(paste(lines, collapse = "\n"), "\n"), eval.expr = FALSE,
                          handlers = c(handlers, list(seq = as.list)))
  in_utf8(tree)
}

in_utf8 <- function(x) {
  if (is.character(x)) Encoding(x) <- "UTF-8"
  if (is.list(x)) x[] <- lapply(x, in_utf8)
  if (!is.null(names(x))) names(x) <- in_utf8(unname(names(x)))
  x
}

stop_not_yaml <- function(cnd, file) {
  line <- suppressWarnings(as.integer(sub(".*line ([0-9]+).*", "\\1", conditionMessage(cnd))))
  words <- sub("^[^:]*: *", "", gsub("\\s+", " ", conditionMessage(cnd)))
  stop_study(file, data.frame(line = line, key = "", kind = "writing", near = "",
                              found = sprintf("YAML cannot read this: %s", words)))
}

tree_paths <- function(tree, path = character()) {
  if (!is.list(tree)) return(character())
  keys <- if (is_map(tree)) names(tree) else as.character(seq_along(tree))
  unlist(Map(function(key, one) c(path_key(c(path, key)), tree_paths(one, c(path, key))), keys, tree),
         use.names = FALSE)
}
