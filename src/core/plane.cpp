#include "vectorise.h"

#include "plane.h"

#include <algorithm>
#include <cmath>

namespace sprenn {

namespace {

// For every output cell: the first input cell and the weights from there on.
struct Taps {
  int first;
  std::vector<float> weights;
};

std::vector<Taps> triangle_taps(int from, int to) {
  const double scale = static_cast<double>(from) / to;
  const double reach = std::max(1.0, scale);
  std::vector<Taps> taps(static_cast<std::size_t>(to));
  for (int i = 0; i < to; ++i) {
    const double centre = (i + 0.5) * scale - 0.5;
    const int low = static_cast<int>(std::ceil(centre - reach));
    const int high = static_cast<int>(std::floor(centre + reach));
    const int first = std::clamp(low, 0, from - 1);
    const int last = std::clamp(high, 0, from - 1);
    std::vector<float> weights(static_cast<std::size_t>(last - first + 1), 0.0f);
    double total = 0.0;
    for (int j = low; j <= high; ++j) {
      const double weight = 1.0 - std::abs(j - centre) / reach;
      if (weight <= 0.0) continue;
      const int cell = std::clamp(j, 0, from - 1);
      weights[static_cast<std::size_t>(cell - first)] += static_cast<float>(weight);
      total += weight;
    }
    for (float& weight : weights) weight = static_cast<float>(weight / total);
    taps[static_cast<std::size_t>(i)] = {first, std::move(weights)};
  }
  return taps;
}

std::vector<float> gaussian_kernel(float sigma) {
  const int reach = std::max(1, static_cast<int>(std::ceil(3.5f * sigma)));
  std::vector<float> kernel(static_cast<std::size_t>(reach + 1));
  double total = 0.0;
  for (int i = 0; i <= reach; ++i) {
    const double value = std::exp(-0.5 * i * i / (static_cast<double>(sigma) * sigma));
    kernel[static_cast<std::size_t>(i)] = static_cast<float>(value);
    total += i == 0 ? value : 2.0 * value;
  }
  for (float& value : kernel) value = static_cast<float>(value / total);
  return kernel;
}

int mirrored(int i, int n) {
  if (n == 1) return 0;
  const int period = 2 * n;
  i = ((i % period) + period) % period;
  return i < n ? i : period - 1 - i;
}

}  // namespace

Size with_long_edge(int width, int height, int long_edge) {
  const double scale = static_cast<double>(long_edge) / std::max(width, height);
  return {std::max(1, static_cast<int>(std::lround(width * scale))),
          std::max(1, static_cast<int>(std::lround(height * scale)))};
}

Plane resize(const Plane& plane, int width, int height) {
  if (plane.width == width && plane.height == height) return plane;
  const auto across = triangle_taps(plane.width, width);
  Plane wide(width, plane.height);
  for (int y = 0; y < plane.height; ++y) {
    for (int x = 0; x < width; ++x) {
      const Taps& tap = across[static_cast<std::size_t>(x)];
      float sum = 0.0f;
      for (std::size_t k = 0; k < tap.weights.size(); ++k)
        sum += tap.weights[k] * plane.at(tap.first + static_cast<int>(k), y);
      wide.at(x, y) = sum;
    }
  }
  const auto down = triangle_taps(plane.height, height);
  Plane out(width, height);
  for (int y = 0; y < height; ++y) {
    const Taps& tap = down[static_cast<std::size_t>(y)];
    for (std::size_t k = 0; k < tap.weights.size(); ++k) {
      const float weight = tap.weights[k];
      const int row = tap.first + static_cast<int>(k);
      for (int x = 0; x < width; ++x) out.at(x, y) += weight * wide.at(x, row);
    }
  }
  return out;
}

Picture resize(const Picture& picture, int width, int height) {
  Picture out;
  for (int c = 0; c < 3; ++c) out.channel[c] = resize(picture.channel[c], width, height);
  return out;
}

Plane blur(const Plane& plane, float sigma) {
  const auto kernel = gaussian_kernel(sigma);
  const int reach = static_cast<int>(kernel.size()) - 1;
  const int w = plane.width, h = plane.height;
  Plane across(w, h);
  std::vector<float> padded(static_cast<std::size_t>(w + 2 * reach));
  for (int y = 0; y < h; ++y) {
    for (int i = 0; i < w + 2 * reach; ++i)
      padded[static_cast<std::size_t>(i)] = plane.at(mirrored(i - reach, w), y);
    // Tap by tap over the whole row: no sum waits for the one before it.
    const float* centre = padded.data() + reach;
    float* row = across.values.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(w);
    for (int x = 0; x < w; ++x) row[x] = kernel[0] * centre[x];
    for (int k = 1; k <= reach; ++k) {
      const float weight = kernel[static_cast<std::size_t>(k)];
      for (int x = 0; x < w; ++x) row[x] += weight * (centre[x - k] + centre[x + k]);
    }
  }
  Plane out(w, h);
  for (int y = 0; y < h; ++y) {
    for (int k = -reach; k <= reach; ++k) {
      const float weight = kernel[static_cast<std::size_t>(std::abs(k))];
      const int row = mirrored(y + k, h);
      for (int x = 0; x < w; ++x) out.at(x, y) += weight * across.at(x, row);
    }
  }
  return out;
}

Plane blur_wide(const Plane& plane, float sigma) {
  const float wanted = 3.0f;
  const int factor = std::max(1, static_cast<int>(sigma / wanted));
  const Plane small = resize(plane, std::max(1, plane.width / factor),
                             std::max(1, plane.height / factor));
  return resize(blur(small, sigma / static_cast<float>(factor)), plane.width, plane.height);
}

double mean_of(const Plane& plane) {
  double sum = 0.0;
  for (float value : plane.values) sum += value;
  return sum / static_cast<double>(plane.size());
}

double spread_of(const Plane& plane) {
  const double mean = mean_of(plane);
  double sum = 0.0;
  for (float value : plane.values) sum += (value - mean) * (value - mean);
  return std::sqrt(sum / static_cast<double>(plane.size()));
}

}  // namespace sprenn
