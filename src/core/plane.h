// Pictures as planes of floats, row by row, and the few filters that the
// measures share. Plain C++17: nothing here knows about R.
#pragma once
#include <algorithm>
#include <array>
#include <cstddef>
#include <deque>
#include <vector>

#include "recycled.h"

namespace sprenn {

using Values = std::vector<float, Recycled<float>>;

struct Plane {
  int width = 0;
  int height = 0;
  Values values;

  Plane() = default;
  Plane(int w, int h, float fill = 0.0f)
      : width(w),
        height(h),
        values(static_cast<std::size_t>(w) * static_cast<std::size_t>(h), fill) {}
  // One whose every value will be written.
  static Plane unset(int w, int h) {
    Plane plane;
    plane.width = w;
    plane.height = h;
    plane.values.resize(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
    return plane;
  }

  std::size_t size() const { return values.size(); }
  float* row(int y) { return values.data() + index(0, y); }
  const float* row(int y) const { return values.data() + index(0, y); }
  float& at(int x, int y) { return values[index(x, y)]; }
  float at(int x, int y) const { return values[index(x, y)]; }

 private:
  std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
           static_cast<std::size_t>(x);
  }
};

// Three planes of one size: sRGB or OKLab, as the function that made it says.
struct Picture {
  Plane channel[3];
  int width() const { return channel[0].width; }
  int height() const { return channel[0].height; }
};

struct Size {
  int width;
  int height;
};

// A number for a whole picture, and for each of nine cells, row by row.
struct Spot {
  double number = 0.0;
  std::array<double, 9> cells{};
};

// Goes through a picture by tiles. Columns whose height is a power of two lie so far apart
// that read side by side they would push each other out of the cache: tiles have a buffer.
constexpr int kTileWidth = 16, kTileHeight = 128, kTile = kTileWidth * kTileHeight;
template <typename Visit>
void by_tiles(int width, int height, const Visit& visit) {
  for (int left = 0; left < width; left += kTileWidth)
    for (int top = 0; top < height; top += kTileHeight)
      visit(left, top, width - left < kTileWidth ? width - left : kTileWidth,
            height - top < kTileHeight ? height - top : kTileHeight);
}
// A tile of values that are kept column by column, row by row.
void tile_of_columns(float* tile, const double* columns, int height, int left, int top, int w,
                     int h);

// A plane of such values, and back.
Plane from_columns(const double* columns, int width, int height);
void to_columns(const Plane& plane, double* columns);

// The size with the given long edge and the same aspect, at least 1 x 1.
Size with_long_edge(int width, int height, int long_edge);

// Each way by itself: smaller by the mean over the area that a pixel covers,
// larger by a cubic through the four nearest (Keys 1981).
Plane resize(const Plane& plane, int width, int height);
Picture resize(const Picture& picture, int width, int height);

// Where pictures are compared and how much each part counts, or nothing: then all of it does. It is
// brought to each size that is asked for once.
class Weighting {
 public:
  explicit Weighting(const Plane* full) : full_(full) {}
  // None where all counts.
  const Plane* at(int width, int height) {
    if (!full_)
      return nullptr;
    for (const Plane& plane : sized_)
      if (plane.width == width && plane.height == height)
        return &plane;
    sized_.push_back(resize(*full_, width, height));
    return &sized_.back();
  }

 private:
  const Plane* full_;
  std::deque<Plane> sized_;  // none moves when another is added
};

// The same, given row by row, from the first to the last: what comes in is added to the
// rows that it covers.
class Shrinker {
 public:
  Shrinker(int width, int height, int to_width, int to_height);
  void add(int y, const float* row);
  Plane finish();

 private:
  // For each cell of the output the first cell of the input, and as many weights
  // for all: weights[k * cells + i] is that of cell first[i] + k.
  struct Taps {
    int count = 0;
    std::vector<int> first;
    std::vector<float> weights;
  };
  static Taps taps(int from, int to);
  void across(float* to, const float* from) const;
  int width_;
  Taps across_;
  bool halving_;  // each output cell is the mean of two
  float weight_down(int tap, int to) const;
  Taps down_;
  int last_of(int to) const;  // the last row that an output row takes from
  int next_ = 0;              // the first output row that is not complete
  Plane open_;                // rows of the input's width that are not yet complete
  Plane out_;
};

// Gaussian with the border mirrored, cut off at 3.5 sigma.
Plane blur(const Plane& plane, float sigma);

// The same for a wide neighbourhood, computed on a shrunken copy.
Plane blur_wide(const Plane& plane, float sigma);

// Half the differences of the neighbours left and right, above and below.
struct Gradient {
  Plane across;
  Plane down;
};
Gradient gradient_of(const Plane& plane);
void gradient_row(const Plane& plane, int y, float* across, float* down);
Plane length_of(const Gradient& gradient);

// Between pixels by the four around; beyond the border, the border. Worked out once, it serves all
// planes of that size.
class Sampler {
 public:
  Sampler(int width, int height, float x, float y) {
    x = std::clamp(x, 0.0f, static_cast<float>(width - 1));
    y = std::clamp(y, 0.0f, static_cast<float>(height - 1));
    left_ = static_cast<int>(x);
    top_ = static_cast<int>(y);
    right_ = std::min(left_ + 1, width - 1);
    bottom_ = std::min(top_ + 1, height - 1);
    across_ = x - static_cast<float>(left_);
    down_ = y - static_cast<float>(top_);
  }
  float of(const Plane& plane) const {
    const float *upper = plane.row(top_), *lower = plane.row(bottom_);
    const float above = upper[left_] + across_ * (upper[right_] - upper[left_]);
    const float below = lower[left_] + across_ * (lower[right_] - lower[left_]);
    return above + down_ * (below - above);
  }

 private:
  int left_, top_, right_, bottom_;
  float across_, down_;
};
float sample(const Plane& plane, float x, float y);

// Every so many columns from `first` on, as rows: what runs down a picture
// is walked through as fast as what runs across it.
Plane columns_of(const Plane& plane, int every, int first);

double sum_of(const float* values, std::size_t n);
// Of the products of two sequences, each less a number.
double sum_of_products(const float* a, const float* b, double less_a, double less_b, std::size_t n);
double mean_of(const Plane& plane);
double spread_of(const Plane& plane);
double covariance_of(const Plane& a, const Plane& b);
// The values below which such shares of a sequence lie; one of its own, 0 of an empty one.
std::vector<float> quantiles_of(const float* values, std::size_t n,
                                const std::vector<double>& shares);
template <typename Sequence>
std::vector<float> quantiles_of(const Sequence& values, const std::vector<double>& shares) {
  return quantiles_of(values.data(), values.size(), shares);
}
template <typename Sequence>
float quantile_of(const Sequence& values, double share) {
  return quantiles_of(values, {share})[0];
}

}  // namespace sprenn
