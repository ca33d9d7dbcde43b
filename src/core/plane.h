// Pictures as planes of floats, row by row, and the few filters that the
// measures share. Plain C++17: nothing here knows about R.
#pragma once
#include <array>
#include <cstddef>
#include <utility>
#include <vector>

namespace sprenn {

struct Plane {
  int width = 0;
  int height = 0;
  std::vector<float> values;

  Plane() = default;
  Plane(int w, int h, float fill = 0.0f)
      : width(w), height(h),
        values(static_cast<std::size_t>(w) * static_cast<std::size_t>(h), fill) {}

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

// The size with the given long edge and the same aspect, at least 1 x 1.
Size with_long_edge(int width, int height, int long_edge);

// Each way by itself: smaller by the mean over the area that a pixel covers,
// larger by a cubic through the four nearest (Keys 1981).
Plane resize(const Plane& plane, int width, int height);
Picture resize(const Picture& picture, int width, int height);

// The same, given row by row: what comes in is added to the rows that it covers.
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
  int width_;
  int to_width_;
  Taps across_;
  std::vector<std::vector<std::pair<int, float>>> down_;
  Plane tall_;
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
Plane length_of(const Gradient& gradient);

// Between pixels by the four around; beyond the border, the border.
float sample(const Plane& plane, float x, float y);

double mean_of(const Plane& plane);
double spread_of(const Plane& plane);
float quantile_of(const std::vector<float>& values, double share);

}  // namespace sprenn
