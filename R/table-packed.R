# Office files are packed folders. Packed again they are the same byte for byte whenever they are made. `edit` has a
# function of its text for parts that are changed on the way.

pack_again <- function(file, edit = list()) {
  folder <- tempfile("parts")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  utils::unzip(file, exdir = folder)
  edit[["docProps/core.xml"]] <- function(text) {
    text <- gsub("(<dcterms:(created|modified)[^>]*>)[^<]*", paste0("\\1", packed_at), text)
    gsub("(<(dc:creator|cp:lastModifiedBy)>)[^<]*", "\\1wavetax", text)
  }
  for (part in names(edit)) {
    path <- file.path(folder, part)
    if (!file.exists(path)) next
    text <- rawToChar(readBin(path, "raw", file.size(path)))
    Encoding(text) <- "UTF-8"
    write_bytes(list(charToRaw(enc2utf8(edit[[part]](text)))), path)
  }
  parts <- list.files(folder, recursive = TRUE, all.files = TRUE, no.. = TRUE)
  parts <- sort_text(parts)
  first <- "[Content_Types].xml"
  Sys.setFileTime(file.path(folder, parts), as.POSIXct(packed_at, "UTC", format = "%Y-%m-%dT%H:%M:%SZ"))
  Sys.chmod(file.path(folder, parts), "644")
  packed <- paste0(tempfile("packed"), ".zip")
  zip::zip(packed, c(intersect(first, parts), setdiff(parts, first)), root = folder, include_directories = FALSE,
           mode = "mirror")
  if (!file.copy(packed, file, overwrite = TRUE)) stop("The file cannot be written.")
  unlink(packed)
}

packed_at <- "2000-01-01T00:00:00Z"
