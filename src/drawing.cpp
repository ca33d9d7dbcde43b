// Loops over all pixels for the stand-ins' drawings (R/standin-*.R): they belong
// to the made-up world, and nothing else uses them. Planes are matrices rows x
// columns with rows running fastest, pictures three such planes.
#include "core/vectorise.h"

#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <vector>

namespace {

// One direction of a resize: for every new place the old places and their shares.
// Smaller is the mean over equal stretches, larger is linear in between.
struct Taps {
  std::vector<int> first, count;
  std::vector<double> share;
  int most = 2;
};

Taps taps_for(int from, int to) {
  Taps taps;
  if (from > to) {
    taps.most = 0;
    std::vector<int> size(to, 0), start(to, from);
    for (int i = 0; i < from; ++i) {
      const int owner = static_cast<int>(std::ceil((i + 1.0) * to / from)) - 1;
      start[owner] = std::min(start[owner], i);
      ++size[owner];
    }
    for (int i = 0; i < to; ++i)
      taps.most = std::max(taps.most, size[i]);
    taps.share.assign(static_cast<size_t>(to) * taps.most, 0.0);
    for (int i = 0; i < to; ++i) {
      taps.first.push_back(start[i]);
      taps.count.push_back(size[i]);
      for (int k = 0; k < size[i]; ++k)
        taps.share[static_cast<size_t>(i) * taps.most + k] = 1.0 / size[i];
    }
    return taps;
  }
  for (int i = 0; i < to; ++i) {
    const double place =
        from == 1 || to == 1 ? 0.0 : static_cast<double>(i) * (from - 1) / (to - 1);
    const int below = from == 1 ? 0 : std::min(static_cast<int>(place), from - 2);
    taps.first.push_back(below);
    taps.count.push_back(from == 1 ? 1 : 2);
    taps.share.push_back(1.0 - (place - below));
    taps.share.push_back(place - below);
  }
  return taps;
}

void resize_into(const double* from, int rows, int columns, double* to, int new_rows,
                 int new_columns) {
  const Taps down = taps_for(rows, new_rows), across = taps_for(columns, new_columns);
  std::vector<double> mid(static_cast<size_t>(rows) * new_columns, 0.0);
  for (int c = 0; c < new_columns; ++c) {
    double* out = mid.data() + static_cast<size_t>(c) * rows;
    for (int k = 0; k < across.count[c]; ++k) {
      const double share = across.share[static_cast<size_t>(c) * across.most + k];
      const double* in = from + static_cast<size_t>(across.first[c] + k) * rows;
      for (int r = 0; r < rows; ++r)
        out[r] += share * in[r];
    }
  }
  for (int c = 0; c < new_columns; ++c) {
    const double* in = mid.data() + static_cast<size_t>(c) * rows;
    double* out = to + static_cast<size_t>(c) * new_rows;
    if (down.most == 2 && rows <= new_rows && rows > 1) {
      for (int r = 0; r < new_rows; ++r)
        out[r] =
            down.share[2 * r] * in[down.first[r]] + down.share[2 * r + 1] * in[down.first[r] + 1];
      continue;
    }
    for (int r = 0; r < new_rows; ++r) {
      double sum = 0;
      for (int k = 0; k < down.count[r]; ++k)
        sum += down.share[static_cast<size_t>(r) * down.most + k] * in[down.first[r] + k];
      out[r] = sum;
    }
  }
}

}  // namespace

// A plane, or each plane of a picture, at another size.
// [[Rcpp::export]]
Rcpp::NumericVector draw_resize(const Rcpp::NumericVector& planes, int rows, int columns) {
  const Rcpp::IntegerVector dim = planes.attr("dim");
  const int count = dim.size() > 2 ? dim[2] : 1;
  Rcpp::NumericVector out = Rcpp::no_init(static_cast<R_xlen_t>(rows) * columns * count);
  for (int k = 0; k < count; ++k) {
    resize_into(planes.begin() + static_cast<R_xlen_t>(k) * dim[0] * dim[1], dim[0], dim[1],
                out.begin() + static_cast<R_xlen_t>(k) * rows * columns, rows, columns);
  }
  out.attr("dim") = dim.size() > 2 ? Rcpp::IntegerVector::create(rows, columns, count)
                                   : Rcpp::IntegerVector::create(rows, columns);
  return out;
}

// The same without details finer than `size` pixels.
// [[Rcpp::export]]
Rcpp::NumericVector draw_soft(const Rcpp::NumericVector& planes, double size) {
  const Rcpp::IntegerVector dim = planes.attr("dim");
  const int rows = dim[0], columns = dim[1], count = dim.size() > 2 ? dim[2] : 1;
  const int low_rows = std::max(2, static_cast<int>(std::nearbyint(rows / size))),
            low_columns = std::max(2, static_cast<int>(std::nearbyint(columns / size)));
  std::vector<double> low(static_cast<size_t>(low_rows) * low_columns);
  Rcpp::NumericVector out = Rcpp::no_init(planes.size());
  for (int k = 0; k < count; ++k) {
    const R_xlen_t at = static_cast<R_xlen_t>(k) * rows * columns;
    resize_into(planes.begin() + at, rows, columns, low.data(), low_rows, low_columns);
    resize_into(low.data(), low_rows, low_columns, out.begin() + at, rows, columns);
  }
  out.attr("dim") = dim;
  return out;
}

// A weighted sum of pictures and planes, the planes added to every channel, held
// between 0 and 1.
// [[Rcpp::export]]
Rcpp::NumericVector draw_sum(const Rcpp::List& parts, const Rcpp::NumericVector& weights) {
  const Rcpp::NumericVector first = parts[0];
  const R_xlen_t n = first.size();
  Rcpp::NumericVector out = Rcpp::no_init(n);
  double* to = out.begin();
  for (R_xlen_t p = 0; p < parts.size(); ++p) {
    const Rcpp::NumericVector part = parts[p];
    const double weight = weights[p];
    const R_xlen_t m = part.size();
    const double* in = part.begin();
    for (R_xlen_t from = 0; from < n; from += m) {
      if (p == 0) {
        for (R_xlen_t i = 0; i < m; ++i)
          to[from + i] = weight * in[i];
      } else {
        for (R_xlen_t i = 0; i < m; ++i)
          to[from + i] += weight * in[i];
      }
    }
  }
  for (R_xlen_t i = 0; i < n; ++i)
    to[i] = to[i] < 0 ? 0 : to[i] > 1 ? 1 : to[i];
  out.attr("dim") = first.attr("dim");
  return out;
}

// Values held between 0 and 1, shape and all.
// [[Rcpp::export]]
Rcpp::NumericVector draw_clamp(const Rcpp::NumericVector& values) {
  Rcpp::NumericVector out = Rcpp::no_init(values.size());
  const double* in = values.begin();
  double* to = out.begin();
  for (R_xlen_t i = 0; i < values.size(); ++i)
    to[i] = in[i] < 0 ? 0 : in[i] > 1 ? 1 : in[i];
  Rf_copyMostAttrib(values, out);
  const SEXP dim = Rf_getAttrib(values, R_DimSymbol);
  if (!Rf_isNull(dim))
    out.attr("dim") = dim;
  return out;
}

// Colours between the rows of a palette, for a plane of values from 0 to 1.
// [[Rcpp::export]]
Rcpp::NumericVector draw_colours(const Rcpp::NumericVector& values,
                                 const Rcpp::NumericMatrix& palette) {
  const R_xlen_t n = values.size();
  const int steps = palette.nrow();
  Rcpp::NumericVector out = Rcpp::no_init(3 * n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const double place = std::min(1.0, std::max(0.0, values[i])) * (steps - 1);
    const int below = std::min(static_cast<int>(place), std::max(0, steps - 2));
    const double part = place - below;
    for (int c = 0; c < 3; ++c) {
      const double a = palette(below, c), b = palette(std::min(below + 1, steps - 1), c);
      out[i + c * n] = a + (b - a) * part;
    }
  }
  const Rcpp::IntegerVector dim = values.attr("dim");
  out.attr("dim") = Rcpp::IntegerVector::create(dim[0], dim[1], 3);
  return out;
}

// One picture laid over another, as far as it covers.
// [[Rcpp::export]]
Rcpp::NumericVector draw_mix(const Rcpp::NumericVector& under, const Rcpp::NumericVector& over,
                             const Rcpp::NumericVector& cover) {
  const R_xlen_t n = under.size(), m = cover.size();
  Rcpp::NumericVector out = Rcpp::no_init(n);
  for (R_xlen_t from = 0; from < n; from += m) {
    const double *a = under.begin() + from, *b = over.begin() + from, *c = cover.begin();
    double* to = out.begin() + from;
    for (R_xlen_t i = 0; i < m; ++i)
      to[i] = a[i] + (b[i] - a[i]) * c[i];
  }
  out.attr("dim") = under.attr("dim");
  return out;
}

// A picture moved about: every pixel is fetched from so many pixels below and to
// the right.
// [[Rcpp::export]]
Rcpp::NumericVector draw_warp(const Rcpp::NumericVector& picture, const Rcpp::NumericMatrix& down,
                              const Rcpp::NumericMatrix& right) {
  const int rows = down.nrow(), columns = down.ncol();
  const R_xlen_t n = static_cast<R_xlen_t>(rows) * columns;
  Rcpp::NumericVector out = Rcpp::no_init(picture.size());
  for (int c = 0; c < columns; ++c) {
    for (int r = 0; r < rows; ++r) {
      const int row = static_cast<int>(std::min(rows - 1.0, std::max(0.0, r + down(r, c))) + 0.5);
      const int column =
          static_cast<int>(std::min(columns - 1.0, std::max(0.0, c + right(r, c))) + 0.5);
      const R_xlen_t to = r + static_cast<R_xlen_t>(c) * rows,
                     from = row + static_cast<R_xlen_t>(column) * rows;
      for (R_xlen_t k = 0; k < picture.size(); k += n)
        out[k + to] = picture[k + from];
    }
  }
  out.attr("dim") = picture.attr("dim");
  return out;
}

// How steep a plane is at every pixel.
// [[Rcpp::export]]
Rcpp::NumericMatrix draw_slope(const Rcpp::NumericMatrix& plane) {
  const int rows = plane.nrow(), columns = plane.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(rows, columns));
  for (int c = 0; c < columns; ++c) {
    const double *left = &plane(0, std::max(0, c - 1)),
                 *right = &plane(0, std::min(columns - 1, c + 1)), *here = &plane(0, c);
    for (int r = 0; r < rows; ++r) {
      const double across = right[r] - left[r],
                   down = here[std::min(rows - 1, r + 1)] - here[std::max(0, r - 1)];
      out(r, c) = std::sqrt(across * across + down * down);
    }
  }
  return out;
}

// The luminance of a picture.
// [[Rcpp::export]]
Rcpp::NumericMatrix draw_luminance(const Rcpp::NumericVector& picture) {
  const Rcpp::IntegerVector dim = picture.attr("dim");
  Rcpp::NumericMatrix out(Rcpp::no_init(dim[0], dim[1]));
  const R_xlen_t n = static_cast<R_xlen_t>(dim[0]) * dim[1];
  const double *red = picture.begin(), *green = red + n, *blue = green + n;
  double* to = out.begin();
  for (R_xlen_t i = 0; i < n; ++i)
    to[i] = 0.299 * red[i] + 0.587 * green[i] + 0.114 * blue[i];
  return out;
}

// A layer as the drawing device gives it (rows of packed red, green, blue and
// alpha), as colours and cover.
// [[Rcpp::export]]
Rcpp::List draw_unpack(const Rcpp::IntegerVector& packed, int rows, int columns) {
  const R_xlen_t n = static_cast<R_xlen_t>(rows) * columns;
  Rcpp::NumericVector colour = Rcpp::no_init(3 * n);
  Rcpp::NumericMatrix cover(Rcpp::no_init(rows, columns));
  for (int c = 0; c < columns; ++c) {
    for (int r = 0; r < rows; ++r) {
      const unsigned int bits =
          static_cast<unsigned int>(packed[static_cast<R_xlen_t>(r) * columns + c]);
      const R_xlen_t at = r + static_cast<R_xlen_t>(c) * rows;
      for (int k = 0; k < 3; ++k)
        colour[at + k * n] = ((bits >> (8 * k)) & 255u) / 255.0;
      cover[at] = (bits >> 24) / 255.0;
    }
  }
  colour.attr("dim") = Rcpp::IntegerVector::create(rows, columns, 3);
  return Rcpp::List::create(Rcpp::Named("colour") = colour, Rcpp::Named("cover") = cover);
}

// A picture laid in tiles of `cell` pixels whose edges wander with `shift`:
// `tiles` (every tile in the colour of its middle), `key` (a number from 0 to 1
// that is each tile's own) and `grout` (1 at the edges).
// [[Rcpp::export]]
Rcpp::List draw_tiles(const Rcpp::NumericVector& picture, const Rcpp::NumericMatrix& shift,
                      int cell) {
  const int rows = shift.nrow(), columns = shift.ncol();
  const R_xlen_t n = static_cast<R_xlen_t>(rows) * columns;
  std::vector<int> r(n), k(n);
  for (int c = 0; c < columns; ++c) {
    for (int i = 0; i < rows; ++i) {
      const R_xlen_t at = i + static_cast<R_xlen_t>(c) * rows;
      r[at] = std::min(
          rows / cell,
          std::max(0, static_cast<int>(std::floor((i + 1 + std::nearbyint(shift(i, c))) / cell))));
      k[at] = std::min(
          columns / cell,
          std::max(0, static_cast<int>(
                          std::floor((c + 1 + std::nearbyint(shift(i, columns - 1 - c))) / cell))));
    }
  }
  Rcpp::NumericVector tiles = Rcpp::no_init(picture.size());
  Rcpp::NumericMatrix key(Rcpp::no_init(rows, columns)), grout(Rcpp::no_init(rows, columns));
  for (int c = 0; c < columns; ++c) {
    for (int i = 0; i < rows; ++i) {
      const R_xlen_t at = i + static_cast<R_xlen_t>(c) * rows;
      const int row = std::min(rows - 1, static_cast<int>((r[at] + 0.5) * cell)),
                column = std::min(columns - 1, static_cast<int>((k[at] + 0.5) * cell));
      const R_xlen_t from = row + static_cast<R_xlen_t>(column) * rows;
      for (R_xlen_t p = 0; p < picture.size(); p += n)
        tiles[at + p] = picture[from + p];
      key[at] = ((r[at] * 37 + k[at] * 101) % 17) / 17.0;
      const R_xlen_t right = c + 1 < columns ? at + rows : at, below = i + 1 < rows ? at + 1 : at;
      grout[at] = r[at] != r[right] || k[at] != k[right] || r[at] != r[below] || k[at] != k[below];
    }
  }
  tiles.attr("dim") = picture.attr("dim");
  return Rcpp::List::create(Rcpp::Named("tiles") = tiles, Rcpp::Named("key") = key,
                            Rcpp::Named("grout") = grout);
}

// What windows of rows x columns show of planes: a row for each window, given by its first cell
// (top, left, from 1); of each plane every `step`-th cell from cell `first` of the window on,
// rows running fastest. If `centred`, each window's mean is taken off, plane by plane.
// [[Rcpp::export]]
Rcpp::NumericMatrix draw_windows(const Rcpp::List& planes, const Rcpp::NumericVector& top,
                                 const Rcpp::NumericVector& left, int rows, int columns, int first,
                                 int step, bool centred) {
  const R_xlen_t windows = top.size();
  const int down = (rows - first) / step + 1, right = (columns - first) / step + 1;
  const int cells = down * right;
  Rcpp::NumericMatrix out = Rcpp::no_init(windows, static_cast<int>(planes.size()) * cells);
  std::vector<long double> mean(windows);
  for (R_xlen_t p = 0; p < planes.size(); ++p) {
    const Rcpp::NumericMatrix plane = planes[p];
    std::fill(mean.begin(), mean.end(), 0.0L);
    for (int cell = 0; cell < cells; ++cell) {
      const R_xlen_t r = first - 1 + static_cast<R_xlen_t>(cell % down) * step;
      const R_xlen_t c = first - 1 + static_cast<R_xlen_t>(cell / down) * step;
      double* to = out.begin() + (p * cells + cell) * windows;
      for (R_xlen_t i = 0; i < windows; ++i) {
        const R_xlen_t column = static_cast<R_xlen_t>(left[i]) - 1 + c;
        to[i] = plane[static_cast<R_xlen_t>(top[i]) - 1 + r + column * plane.nrow()];
        mean[i] += to[i];
      }
    }
    for (int cell = 0; centred && cell < cells; ++cell) {
      double* to = out.begin() + (p * cells + cell) * windows;
      for (R_xlen_t i = 0; i < windows; ++i)
        to[i] -= static_cast<double>(mean[i] / cells);
    }
  }
  return out;
}
