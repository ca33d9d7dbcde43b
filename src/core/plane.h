// Pictures as planes of floats, row by row, and the few filters that the
// measures share. Plain C++17: nothing here knows about R.
#pragma once
#include <cstddef>
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

// The size with the given long edge and the same aspect, at least 1 x 1.
Size with_long_edge(int width, int height, int long_edge);

// Separable triangle filter, widened when shrinking so that nothing aliases.
Plane resize(const Plane& plane, int width, int height);
Picture resize(const Picture& picture, int width, int height);

// Gaussian with the border mirrored, cut off at 3.5 sigma.
Plane blur(const Plane& plane, float sigma);

// The same for a wide neighbourhood, computed on a shrunken copy.
Plane blur_wide(const Plane& plane, float sigma);

double mean_of(const Plane& plane);
double spread_of(const Plane& plane);

}  // namespace sprenn
