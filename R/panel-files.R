# The one door to every file that is written: `write(path)` writes beside the file's place; the
# partial file is looked at, `lacks(path)` says what of it did not arrive, and only then it takes that
# place. There is never half a file, and the old one stays until the new one is whole. It keeps the old
# one's mode, and a link stays a link. What a killed run left is cleared.

file_extension <- function(file) lower_case(sub("^.*\\.", "", basename(file)))

# The ending of a path, which must be one of `known`.
check_ending <- function(file, known, what) {
  if (!is_one_text(file) || !nzchar(file)) {
    stop_argument("file", value_words(file), "Give one path in quotes.", kind = "format")
  }
  extension <- if (grepl("\\.[^./]+$", file)) file_extension(file) else ""
  if (extension %in% known) return(extension)
  stop_wavetax("format", sprintf("%s cannot be written to %s.", what, sQuote(file, FALSE)),
               todo = sprintf("End the name in %s.", list_or(paste0(".", known))))
}

write_whole_file <- function(file, write, lacks = NULL) {
  target <- link_target(file)
  check_plain_file(target, file)
  check_folder(dirname(target))
  clear_partials(dirname(target))
  partial <- partial_name(target)
  on.exit(unlink(partial))
  # A writing that is stopped half way leaves its file open: what it warned of is judged after it.
  warned <- character()
  tryCatch(
    withCallingHandlers(write(partial), warning = function(cnd) {
      if (!is_write_failure(cnd)) return()
      warned <<- c(warned, conditionMessage(cnd))
      tryInvokeRestart("muffleWarning")
    }),
    error = function(cnd) {
      if (inherits(cnd, "wavetax_error") || is_memory_error(cnd)) rlang::cnd_signal(cnd)
      stop_not_written(file, conditionMessage(cnd))
    }
  )
  if (length(warned) > 0) stop_not_written(file, warned[1])
  check_complete(partial, file, lacks)
  mode <- if (file.exists(target)) file.info(target)$mode
  rename_whole_file(partial, target, file)
  if (!is.null(mode)) Sys.chmod(target, mode, use_umask = FALSE)
  invisible(file)
}

make_folder <- function(folder, todo = "Choose another with --out.") {
  if (dir.exists(folder) || dir.create(folder, showWarnings = FALSE, recursive = TRUE)) return(invisible())
  stop_wavetax("cannot_write", sprintf("The folder %s cannot be made.", sQuote(folder, FALSE)), todo = todo)
}

write_text_file <- function(lines, file) {
  bytes <- charToRaw(paste0(paste(enc2utf8(lines), collapse = "\n"), "\n"))
  write_whole_file(file, function(path) write_bytes(list(bytes), path, file))
}

# Bytes to a file, all of them: what R's own writing does not say is seen by its size. `told`: the file that is named.
write_bytes <- function(parts, file, told = file) {
  connection <- base::file(file, "wb")
  open <- TRUE
  on.exit(if (open) close(connection))
  for (part in parts) if (!is.null(part)) writeBin(part, connection)
  close(connection)
  open <- FALSE
  wanted <- sum(as.double(lengths(parts)))
  if (!isTRUE(file.size(file) == wanted)) {
    stop_not_written(told, sprintf("%s of %s bytes arrived.", count_words(file.size(file)), count_words(wanted)))
  }
}

is_write_failure <- function(cnd) {
  grepl("space|write|writing|quota|too large|cannot open", lower_case(conditionMessage(cnd)))
}

link_target <- function(file, links = 0) {
  link <- Sys.readlink(file)
  if (is.na(link) || !nzchar(link) || links > 40) return(file)
  if (!grepl("^(/|[A-Za-z]:)", link)) link <- file.path(dirname(file), link)
  link_target(link, links + 1)
}

partial_prefix <- ".wavetax-partial-"

partial_name <- function(file) {
  tempfile(paste0(partial_prefix, Sys.getpid(), "-"), tmpdir = dirname(file),
           fileext = paste0(".", file_extension(file)))
}

# Partial files of processes that are no more.
clear_partials <- function(folder) {
  pattern <- paste0("^\\", partial_prefix, "([0-9]+)-.*")
  left <- list.files(folder, pattern, all.files = TRUE)
  process <- suppressWarnings(as.integer(sub(pattern, "\\1", left)))
  dead <- vapply(process, function(id) !is.na(id) && id != Sys.getpid() && !isTRUE(tools::pskill(id, 0)), TRUE)
  unlink(file.path(folder, left[dead]))
}

# How the files end that have an end of their own: a full disk cuts it off.
file_endings <- list(
  png = charToRaw("IEND"), pdf = charToRaw("%%EOF"), svg = charToRaw("</svg>"), html = charToRaw("</html>"),
  xlsx = as.raw(c(0x50, 0x4b, 0x05, 0x06)), parquet = charToRaw("PAR1")
)

check_complete <- function(partial, file, lacks) {
  size <- file.size(partial)
  if (is.na(size) || size == 0) stop_not_written(file, "Nothing arrived.")
  ending <- file_endings[[file_extension(file)]]
  if (!is.null(ending) && length(grepRaw(ending, file_end(partial, 64), fixed = TRUE)) == 0) {
    stop_not_written(file, "Its end is missing.")
  }
  lacking <- if (!is.null(lacks)) lacks(partial)
  if (!is.null(lacking)) stop_not_written(file, lacking)
}

is_plain_file <- function(file) core_is_plain_file(enc2native(path.expand(file)))

# How files begin whose kind their first bytes tell.
file_starts <- list(
  zip = as.raw(c(0x50, 0x4b, 0x03, 0x04)), gzip = as.raw(c(0x1f, 0x8b)), ole = as.raw(c(0xd0, 0xcf, 0x11, 0xe0)),
  pdf = charToRaw("%PDF-"), parquet = charToRaw("PAR1"), utf16 = as.raw(c(0xff, 0xfe)),
  utf16_back = as.raw(c(0xfe, 0xff))
)
starts_as <- function(bytes, kind) {
  start <- file_starts[[kind]]
  identical(utils::head(bytes, length(start)), start)
}

# The last bytes of a file.
file_end <- function(file, bytes) {
  connection <- base::file(file, "rb")
  on.exit(close(connection))
  seek(connection, max(0, file.size(file) - bytes))
  readBin(connection, "raw", bytes)
}

# A device or a pipe takes no file's place.
check_plain_file <- function(target, file) {
  if (!file.exists(target) || dir.exists(target) || is_plain_file(target)) return(invisible())
  stop_wavetax("cannot_write", sprintf("%s is a device or a pipe, not a file.", sQuote(file, FALSE)),
               todo = "Give the path of a file.")
}

stop_not_written <- function(file, where) {
  stop_wavetax("cannot_write", sprintf("%s could not be written whole; what was there before is as it was.",
                                       sQuote(file, FALSE)),
               where = gsub("\\s*\n\\s*", " ", where), todo = "Is the disk full, or the folder closed?")
}

check_package <- function(package, use) {
  if (requireNamespace(package, quietly = TRUE)) return(invisible())
  stop_wavetax("package_needed", sprintf("The package %s, which %s, is not installed.", package, use),
               todo = sprintf("`install.packages(\"%s\")`, or use CSV.", package))
}

check_folder <- function(folder) {
  if (dir.exists(folder) && file.access(folder, 2) == 0) return(invisible())
  stop_wavetax("cannot_write", sprintf("Nothing can be written to the folder %s.", sQuote(folder, FALSE)),
               todo = "Make the folder first, or choose another.")
}

rename_whole_file <- function(partial, target, file) {
  if (!dir.exists(target) && suppressWarnings(file.rename(partial, target))) return(invisible())
  stop_wavetax("cannot_write", sprintf("%s cannot be replaced.", sQuote(file, FALSE)),
               todo = "Is it a folder, or open in another program?")
}

check_file <- function(file) {
  if (!is.character(file) || length(file) != 1 || is.na(file)) {
    stop_wavetax("no_file", "`file` is not one path.", todo = "Give the path of a file in quotes.")
  }
  if (dir.exists(file)) stop_not_a_table(file, "It is a folder.")
  if (!file.exists(file)) stop_no_file(file)
  if (!is_plain_file(file)) {
    stop_not_a_table(file, "It is a pipe or a device, which gives what it has only once.", "Save it to a file first.")
  }
  if (file.size(file) == 0) stop_not_a_table(file, "It is empty.")
}

stop_no_file <- function(file, todo = NULL) {
  near <- near_names(basename(file), list.files(dirname(file)))
  stop_wavetax("no_file", sprintf("There is no file %s.", sQuote(file, FALSE)),
               todo = c(if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(near, FALSE))), todo))
}

stop_not_a_table <- function(file, where,
                             todo = "It should be a table with the names of the columns in its first row.") {
  stop_wavetax(
    "not_a_table", sprintf("The file %s could not be read as a table.", sQuote(file, FALSE)),
    where = gsub("\\s*\n\\s*", " ", where),
    todo = todo
  )
}
