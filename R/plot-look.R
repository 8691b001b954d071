# The look that figures share: colours, sizes, theme, titles broken by measured width.

tick_labels <- function(at, index) visible_text(format_period(index$periods)[match(at, index$ticks)])

# Four series, each told from the next by lightness, shape and line type too: beyond four, panels or names.
look_colours <- c("#10303f", "#96391a", "#3479a0", "#c58428")
look_shapes <- c(16, 21, 17, 22)
look_shades <- list(ink = "#1b282f", grey = "#55656f", hair = "#b9c5cb", faint = "#dde4e7", cloud = "#3479a0",
                    pale = "#6e9bb5")

# Inches, and points of type. A slide is the page drawn smaller and enlarged: its type and lines are twice as large.
figure_sizes <- list(
  page = list(width = 6.5, height = 4, text = 9, dpi = 300, scale = 1),
  column = list(width = 3.4, height = 3, text = 8, dpi = 300, scale = 1),
  slide = list(width = 10, height = 5.6, text = 9, dpi = 150, scale = 2)
)

# Grid lines across the axis that is read off, or ticks: `read` is "x", "y" or "none". All sizes follow the type's.
figure_theme <- function(read = "x") {
  grid <- ggplot2::element_line(colour = look_shades$faint, linewidth = 0.35)
  none <- ggplot2::element_blank()
  text <- function(size, colour, ...) ggplot2::element_text(size = ggplot2::rel(size), colour = colour, ...)
  ggplot2::theme_minimal(base_size = figure_sizes$page$text) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = look_shades$ink),
      plot.title = text(1.1, look_shades$ink, face = "bold", margin = ggplot2::margin(b = 3)),
      plot.subtitle = text(0.95, look_shades$grey, lineheight = 1.1, margin = ggplot2::margin(b = 7)),
      plot.title.position = "plot", axis.title = text(0.92, look_shades$grey), axis.text = text(0.9, look_shades$grey),
      panel.grid.minor = none, panel.grid.major.x = if (read == "x") grid else none,
      panel.grid.major.y = if (read == "y") grid else none,
      axis.ticks = if (read == "none") ggplot2::element_line(colour = look_shades$hair, linewidth = 0.35) else none,
      strip.text = text(0.95, look_shades$ink, hjust = 0, face = "bold"),
      legend.position = "top", legend.justification = "left", legend.title = none,
      legend.margin = ggplot2::margin(b = -3), plot.margin = ggplot2::margin(5, 13, 5, 4),
      plot.background = ggplot2::element_rect(fill = "white", colour = NA)
    )
}

# A true minus, thousands separated, as many decimals as the marks need.
axis_labels <- function(x) {
  x <- zapsmall(x)
  apart <- min(diff(sort(unique(x[is.finite(x)]))), Inf)
  places <- if (is.finite(apart)) decimals_for(apart, 1) + (signif(apart, 1) != signif(apart, 2)) else 2
  on_device(gsub("-", "\u2212", format_number(x, decimals = places), fixed = TRUE))
}

# R's own PDF has no true minus, and draws a hyphen as one; a script that has opened no device gets that.
on_device <- function(text) {
  plain <- c("pdf", "postscript", if (!interactive()) "null device")
  if (names(grDevices::dev.cur()) %in% plain) gsub("\u2212", "-", text, fixed = TRUE) else text
}

# At least three round numbers inside the limits.
axis_marks <- function(limits) {
  for (wanted in 5:12) {
    marks <- pretty(limits, wanted)
    marks <- marks[marks >= limits[1] & marks <= limits[2]]
    if (length(marks) >= 3) break
  }
  marks
}

# A ggplot with its title and what it says below; both are broken to the width that they are drawn in. `height`: inches
# of a page.
new_figure <- function(plot, title, says, height = figure_sizes$page$height) {
  true_minus <- function(text) gsub("(^|[ (])-(?=[0-9])", "\\1\u2212", visible_text(text), perl = TRUE)
  heads <- list(title = true_minus(title), says = true_minus(says))
  class(plot) <- union("panel_figure", class(plot))
  attr(plot, "heads") <- heads
  attr(plot, "height") <- height
  with_heads(plot, figure_sizes$page$width, figure_sizes$page$text)
}

# Heads that the user has set since stay.
with_heads <- function(plot, width, points) {
  heads <- attr(plot, "heads")
  room <- width * 72 - 1.6 * points
  # A column has no room for the numbers beside, nor for three panels or columns of text.
  if (is_narrow(width)) {
    plot$scales <- plot$scales$clone()
    second <- plot$scales$get_scales("y")
    if (!is.null(second)) second$secondary.axis <- ggplot2::waiver()
    narrow <- attr(plot, "narrow")
    for (part in intersect(c("facet", "layers", "coordinates"), names(narrow))) plot[[part]] <- narrow[[part]]
  }
  own <- function(now, words) {
    !is.null(words) && (is.null(now) || identical(gsub("\n", " ", now, fixed = TRUE), words))
  }
  if (own(plot$labels$title, heads$title)) plot$labels$title <- broken_text(heads$title, room, 1.1 * points, TRUE)
  if (own(plot$labels$subtitle, heads$says)) plot$labels$subtitle <- broken_text(heads$says, room, 0.95 * points)
  plot
}

is_narrow <- function(width) width < 5

#' @export
print.panel_figure <- function(x, ...) {
  if (grDevices::dev.cur() == 1) grDevices::dev.new()
  points <- ggplot2::calc_element("text", ggplot2::theme_get() + x$theme)$size
  shown <- with_heads(x, grDevices::dev.size()[1], points)
  # Their class stays, which newer versions ask for.
  labels <- shown$labels
  labels[] <- lapply(labels, function(label) if (is.character(label)) on_device(label) else label)
  shown$labels <- labels
  shown$layers <- lapply(shown$layers, function(layer) {
    if (!is.data.frame(layer$data) || !is.character(layer$data$label)) return(layer)
    data <- layer$data
    data$label <- on_device(data$label)
    ggplot2::ggproto(NULL, layer, data = data)
  })
  class(shown) <- setdiff(class(shown), "panel_figure")
  print(shown, ...)
  invisible(x)
}

# As few lines as will do, as even as they can be; a hard space keeps a number with its unit.
broken_text <- function(text, width, points, bold = FALSE) {
  lines <- broken_lines(text, width, points, bold)
  while (length(lines) > 1) {
    width <- width * 0.97
    even <- broken_lines(text, width, points, bold)
    if (length(even) > length(lines)) break
    lines <- even
  }
  paste(lines, collapse = "\n")
}

broken_lines <- function(text, width, points, bold) {
  words <- strsplit(text, " ", fixed = TRUE)[[1]]
  wide <- text_width(c(words, " "), points, bold)
  space <- wide[length(wide)]
  line <- used <- 0
  of <- integer(length(words))
  for (w in seq_along(words)) {
    if (w == 1 || used + space + wide[w] > width) {
      line <- line + 1
      used <- wide[w]
    } else {
      used <- used + space + wide[w]
    }
    of[w] <- line
  }
  vapply(split(words, of), paste, "", collapse = " ", USE.NAMES = FALSE)
}

# Points across, as measured where fonts can be asked.
text_width <- function(text, points, bold = FALSE) {
  if (!requireNamespace("systemfonts", quietly = TRUE)) return(nchar(text, "width") * points * if (bold) 0.6 else 0.55)
  # Newer versions have a weight in place of bold.
  weighed <- "weight" %in% names(formals(systemfonts::string_width))
  face <- if (weighed) list(weight = if (bold) "bold" else "normal") else list(bold = bold)
  do.call(systemfonts::string_width, c(list(text, family = "sans", size = points, res = 72), face))
}

# Letters within a figure, of so many points.
letters_of <- function(points) points / ggplot2::.pt

# The words of a variable or term for an axis: its label and unit.
axis_words <- function(name, labels = NULL, nouns = NULL) {
  phrase <- variable_phrase(name, unlist(labels), nouns)
  visible_text(whole_label(phrase[["label"]], phrase[["unit"]]))
}

estimate_ink <- look_colours[1]
