# Paths of a study: relative to its folder, and within it unless the caller allows otherwise.

# The files that a path or pattern finds, checked to be there.
study_inputs <- function(node, texts, study) {
  items <- if (is_node(node, "list")) node$items else list(node)
  unlist(Map(function(one, text) {
    if (!path_allowed(one, text, study)) return(character())
    found <- if (grepl("[*?]", text)) in_folder(Sys.glob(file.path(study$folder, text)), study) else
      if (file.exists(file.path(study$folder, text))) text
    if (length(found) == 0) stop_no_input(one, text, study)
    # What a pattern finds may be a link that leads out.
    Filter(function(file) path_allowed(one, file, study), found)
  }, items, texts), use.names = FALSE)
}

in_folder <- function(files, study) {
  substring(files, nchar(file.path(study$folder, "")) + 1L)
}

stop_no_input <- function(node, text, study) {
  there <- list.files(file.path(study$folder, dirname(text)))
  if (dirname(text) != ".") there <- file.path(dirname(text), there)
  study_fault(node, "file", sprintf("there is no file \"%s\".", text), nearest_name(text, there),
              quote = "\"")
  character()
}

path_allowed <- function(node, text, study) {
  if (grepl("^[A-Za-z][A-Za-z0-9+.-]+:", text) && !grepl("^[A-Za-z]:[/\\\\]", text)) {
    study_fault(node, "path", sprintf("`%s` takes a file of this machine, not the address %s.", node_key(node),
                                      dQuote(short_text(text), FALSE)))
    return(FALSE)
  }
  if (study$allow_outside) return(TRUE)
  home <- normalizePath(study$folder)
  place <- if (grepl("^(/|~|[A-Za-z]:)", text)) path.expand(text) else file.path(study$folder, text)
  inside <- is_within(resolved_path(place), home)
  if (inside) return(TRUE)
  study_fault(node, "path", sprintf("\"%s\" leaves the study's folder. Leaving it is allowed by who runs it: %s.", text,
                                    "`--allow-outside`, or `allow_outside = TRUE`"))
  FALSE
}

is_within <- function(path, folder) path == folder || startsWith(path, paste0(sub("/$", "", folder), "/"))

# A path with links followed and dots taken out, of a file that need not be there.
resolved_path <- function(path) {
  if (file.exists(path)) return(normalizePath(path))
  up <- dirname(path)
  if (up == path) return(path)
  base <- basename(path)
  if (base == "..") return(dirname(resolved_path(up)))
  if (base == ".") return(resolved_path(up))
  sub("//", "/", file.path(resolved_path(up), base), fixed = TRUE)
}
