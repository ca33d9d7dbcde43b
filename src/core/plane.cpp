#include "vectorise.h"

#include "plane.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <utility>

namespace sprenn {

namespace {

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

// Weights of a cubic convolution with a = -1/2 at the four cells around.
double cubic(double distance) {
  const double d = std::abs(distance);
  if (d < 1.0) return (1.5 * d - 2.5) * d * d + 1.0;
  return d < 2.0 ? ((-0.5 * d + 2.5) * d - 4.0) * d + 2.0 : 0.0;
}

SPRENN_WIDE void scale_row(float* out, const float* in, float by, int n) {
  for (int i = 0; i < n; ++i) out[i] = by * in[i];
}

SPRENN_WIDE void add_row(float* out, const float* in, float by, int n) {
  for (int i = 0; i < n; ++i) out[i] += by * in[i];
}

SPRENN_WIDE void add_from(float* __restrict out, const float* __restrict in, const int* at, const float* by, int n) {
  for (int i = 0; i < n; ++i) out[i] += by[i] * in[at[i]];
}

// Pairs of one weight, four at a time: each pass over the row costs as much as the sums.
SPRENN_WIDE void add_pair(float* out, const float* a, const float* b, float by, int n) {
  for (int i = 0; i < n; ++i) out[i] += by * (a[i] + b[i]);
}
SPRENN_WIDE void add_pairs(float* out, const float* const* in, const float* by, int n) {
  const float *a = in[0], *b = in[1], *c = in[2], *d = in[3];
  const float *e = in[4], *f = in[5], *g = in[6], *h = in[7];
  const float p = by[0], q = by[1], r = by[2], s = by[3];
  for (int i = 0; i < n; ++i)
    out[i] += p * (a[i] + b[i]) + q * (c[i] + d[i]) + r * (e[i] + f[i]) + s * (g[i] + h[i]);
}

// One row of a symmetric filter, whose taps are rows that `at(k)` finds.
template <typename At>
void filter_row(float* out, const std::vector<float>& kernel, int n, const At& at) {
  const int reach = static_cast<int>(kernel.size()) - 1;
  scale_row(out, at(0), kernel[0], n);
  int k = 1;
  for (; k + 3 <= reach; k += 4) {
    const float* const rows[8] = {at(k),     at(-k),     at(k + 1), at(-k - 1),
                                  at(k + 2), at(-k - 2), at(k + 3), at(-k - 3)};
    add_pairs(out, rows, kernel.data() + k, n);
  }
  for (; k <= reach; ++k) add_pair(out, at(k), at(-k), kernel[static_cast<std::size_t>(k)], n);
}

SPRENN_WIDE void half_difference(float* out, const float* before, const float* after, int n) {
  for (int i = 0; i < n; ++i) out[i] = 0.5f * (after[i] - before[i]);
}

SPRENN_WIDE void lengths(float* out, const float* x, const float* y, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) out[i] = std::sqrt(x[i] * x[i] + y[i] * y[i]);
}

}  // namespace

Size with_long_edge(int width, int height, int long_edge) {
  const double scale = static_cast<double>(long_edge) / std::max(width, height);
  return {std::max(1, static_cast<int>(std::lround(width * scale))),
          std::max(1, static_cast<int>(std::lround(height * scale)))};
}

Shrinker::Taps Shrinker::taps(int from, int to) {
  const double scale = static_cast<double>(from) / to;
  std::vector<std::vector<float>> weights(static_cast<std::size_t>(to));
  Taps out;
  out.first.resize(weights.size());
  for (int i = 0; i < to; ++i) {
    const double centre = (i + 0.5) * scale - 0.5;
    const double low = scale >= 1.0 ? i * scale : std::floor(centre) - 1.0;
    const double high = scale >= 1.0 ? (i + 1) * scale : std::floor(centre) + 3.0;
    const int begin = static_cast<int>(std::floor(low + 1e-9)), end = static_cast<int>(std::ceil(high - 1e-9));
    const int first = std::clamp(begin, 0, from - 1), last = std::clamp(end - 1, 0, from - 1);
    auto& own = weights[static_cast<std::size_t>(i)];
    own.assign(static_cast<std::size_t>(last - first + 1), 0.0f);
    double total = 0.0;
    for (int j = begin; j < end; ++j) {
      const double weight = scale >= 1.0 ? std::min(high, j + 1.0) - std::max(low, static_cast<double>(j)) : cubic(j - centre);
      own[static_cast<std::size_t>(std::clamp(j, 0, from - 1) - first)] += static_cast<float>(weight);
      total += weight;
    }
    for (float& weight : own) weight = static_cast<float>(weight / total);
    out.first[static_cast<std::size_t>(i)] = first;
    out.count = std::max(out.count, static_cast<int>(own.size()));
  }
  out.weights.assign(weights.size() * static_cast<std::size_t>(out.count), 0.0f);
  for (std::size_t i = 0; i < weights.size(); ++i) {
    // Near the end the same weights, counted from an earlier cell.
    const int first = std::max(0, std::min(out.first[i], from - out.count));
    const std::size_t later = static_cast<std::size_t>(out.first[i] - first);
    for (std::size_t k = 0; k < weights[i].size(); ++k) out.weights[(later + k) * weights.size() + i] = weights[i][k];
    out.first[i] = first;
  }
  return out;
}

Shrinker::Shrinker(int width, int height, int to_width, int to_height)
    : width_(width), to_width_(to_width), across_(taps(width, to_width)),
      down_(static_cast<std::size_t>(height)), tall_(width, to_height) {
  const Taps down = taps(height, to_height);
  for (int y = 0; y < to_height; ++y)
    for (int k = 0; k < down.count; ++k) {
      const float weight = down.weights[static_cast<std::size_t>(k * to_height + y)];
      if (weight != 0.0f) down_[static_cast<std::size_t>(down.first[static_cast<std::size_t>(y)] + k)].emplace_back(y, weight);
    }
}

void Shrinker::add(int y, const float* row) {
  for (const auto& [to, weight] : down_[static_cast<std::size_t>(y)])
    add_row(tall_.row(to), row, weight, width_);
}

Plane Shrinker::finish() {
  if (to_width_ == width_) return std::move(tall_);
  Plane out(to_width_, tall_.height);
  for (int y = 0; y < out.height; ++y)
    for (int k = 0; k < across_.count; ++k)
      add_from(out.row(y), tall_.row(y) + k, across_.first.data(), across_.weights.data() + static_cast<std::ptrdiff_t>(k) * to_width_, to_width_);
  return out;
}

Plane resize(const Plane& plane, int width, int height) {
  if (plane.width == width && plane.height == height) return plane;
  Shrinker shrinker(plane.width, plane.height, width, height);
  for (int y = 0; y < plane.height; ++y) shrinker.add(y, plane.row(y));
  return shrinker.finish();
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
    const float* from = plane.row(y);
    std::copy(from, from + w, padded.begin() + reach);
    for (int i = 0; i < reach; ++i) {
      padded[static_cast<std::size_t>(i)] = from[mirrored(i - reach, w)];
      padded[static_cast<std::size_t>(w + reach + i)] = from[mirrored(w + i, w)];
    }
    const float* centre = padded.data() + reach;
    filter_row(across.row(y), kernel, w, [=](int k) { return centre + k; });
  }
  Plane out(w, h);
  for (int y = 0; y < h; ++y)
    filter_row(out.row(y), kernel, w, [&](int k) { return across.row(mirrored(y + k, h)); });
  return out;
}

Plane blur_wide(const Plane& plane, float sigma) {
  const float wanted = 3.0f;
  const int factor = std::max(1, static_cast<int>(sigma / wanted));
  const Plane small = resize(plane, std::max(1, plane.width / factor),
                             std::max(1, plane.height / factor));
  return resize(blur(small, sigma / static_cast<float>(factor)), plane.width, plane.height);
}

Gradient gradient_of(const Plane& plane) {
  const int w = plane.width, h = plane.height;
  Gradient out{Plane(w, h), Plane(w, h)};
  for (int y = 0; y < h; ++y) {
    const float* row = plane.row(y);
    float* across = out.across.row(y);
    across[0] = 0.5f * (row[std::min(1, w - 1)] - row[0]);
    if (w > 2) half_difference(across + 1, row, row + 2, w - 2);
    if (w > 1) across[w - 1] = 0.5f * (row[w - 1] - row[w - 2]);
    half_difference(out.down.row(y), plane.row(std::max(0, y - 1)), plane.row(std::min(h - 1, y + 1)), w);
  }
  return out;
}

Plane length_of(const Gradient& gradient) {
  Plane out(gradient.across.width, gradient.across.height);
  lengths(out.values.data(), gradient.across.values.data(), gradient.down.values.data(), out.size());
  return out;
}

float sample(const Plane& plane, float x, float y) {
  x = std::clamp(x, 0.0f, static_cast<float>(plane.width - 1));
  y = std::clamp(y, 0.0f, static_cast<float>(plane.height - 1));
  const int left = static_cast<int>(x), top = static_cast<int>(y);
  const int right = std::min(left + 1, plane.width - 1), bottom = std::min(top + 1, plane.height - 1);
  const float u = x - static_cast<float>(left), v = y - static_cast<float>(top);
  const float above = plane.at(left, top) + u * (plane.at(right, top) - plane.at(left, top));
  const float below = plane.at(left, bottom) + u * (plane.at(right, bottom) - plane.at(left, bottom));
  return above + v * (below - above);
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

float quantile_of(const std::vector<float>& values, double share) {
  if (values.empty()) return 0.0f;
  // Numbers rank like the bits that they are written with, once the sign is turned
  // round: a count by the upper half finds the few among which the one sought is.
  const auto rank = [](float value) {
    std::uint32_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    return (bits & 0x80000000u ? ~bits : bits | 0x80000000u) >> 16;
  };
  std::vector<std::size_t> count(65536);
  for (const float value : values) ++count[rank(value)];
  auto at = static_cast<std::size_t>(share * static_cast<double>(values.size() - 1));
  std::uint32_t bucket = 0;
  while (at >= count[bucket]) at -= count[bucket++];
  std::vector<float> near;
  near.reserve(count[bucket]);
  for (const float value : values)
    if (rank(value) == bucket) near.push_back(value);
  const auto sought = near.begin() + static_cast<std::ptrdiff_t>(at);
  std::nth_element(near.begin(), sought, near.end());
  return *sought;
}

}  // namespace sprenn
