# Pages of small drawings, each with axes of its own: panels of one ggplot, so that one theme, and what users add, holds
# for all of them.

# `axes`: for each panel, in their order, list(x, y: the names of its axes; x_marks, y_marks: list(breaks, labels) where
# its marks are others than the scale's).
facet_page <- function(axes, ncol) {
  page <- ggplot2::facet_wrap(~panel, scales = "free", ncol = ncol)
  ggplot2::ggproto(
    "FacetPage", page, axes = axes,
    init_scales = function(self, layout, x_scale = NULL, y_scale = NULL, params) {
      scales <- ggplot2::ggproto_parent(page, self)$init_scales(layout, x_scale, y_scale, params)
      scales$x <- with_marks(scales$x, lapply(self$axes, `[[`, "x_marks"))
      scales$y <- with_marks(scales$y, lapply(self$axes, `[[`, "y_marks"))
      scales
    },
    draw_panels = function(self, panels, layout, x_scales = NULL, y_scales = NULL, ranges = NULL, coord, data = NULL,
                           theme, params) {
      drawn <- ggplot2::ggproto_parent(page, self)$draw_panels(panels, layout, x_scales, y_scales, ranges, coord, data,
                                                               theme, params)
      with_axis_names(drawn, layout, self$axes, theme)
    }
  )
}

with_marks <- function(scales, marks) {
  for (k in seq_along(scales)) {
    if (is.null(marks[[k]])) next
    scales[[k]]$breaks <- marks[[k]]$breaks
    scales[[k]]$labels <- marks[[k]]$labels
  }
  scales
}

# Below the marks of each panel its x axis' name, left of them its y axis'; its title begins above that.
with_axis_names <- function(drawn, layout, axes, theme) {
  named <- function(which, part) {
    turned <- which == "y"
    ggplot2::element_render(theme, paste0("axis.title.", which), label = part[[which]], margin_x = turned,
                            margin_y = !turned)
  }
  places <- function() drawn$layout[grepl("^panel", drawn$layout$name), ]
  room <- function(which, measure) do.call(grid::unit.c, lapply(axes, function(part) measure(named(which, part))))
  below <- max(room("x", grid::grobHeight))
  beside <- max(room("y", grid::grobWidth))
  for (row in sort(unique(places()$t), decreasing = TRUE)) drawn <- gtable::gtable_add_rows(drawn, below, row + 1)
  for (column in sort(unique(places()$l), decreasing = TRUE)) {
    drawn <- gtable::gtable_add_cols(drawn, beside, column - 2)
  }
  at <- places()
  rows <- sort(unique(at$t))
  columns <- sort(unique(at$l))
  for (k in seq_along(axes)) {
    row <- rows[layout$ROW[k]]
    column <- columns[layout$COL[k]]
    drawn <- gtable::gtable_add_grob(drawn, named("x", axes[[k]]), row + 2, column, clip = "off",
                                     name = paste0("name-x-", k))
    drawn <- gtable::gtable_add_grob(drawn, named("y", axes[[k]]), row, column - 2, clip = "off",
                                     name = paste0("name-y-", k))
    title <- grepl("^strip-t", drawn$layout$name) & drawn$layout$t == row - 1 & drawn$layout$l == column
    drawn$layout$l[title] <- column - 2
    drawn$layout$clip[title] <- "off"
  }
  drawn
}
