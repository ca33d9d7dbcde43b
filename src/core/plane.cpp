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
  for (float& value : kernel)
    value = static_cast<float>(value / total);
  return kernel;
}

int mirrored(int i, int n) {
  if (i >= 0 && i < n)
    return i;
  if (i < 0 && i >= -n)
    return -1 - i;
  const int period = 2 * n;
  i = ((i % period) + period) % period;
  return i < n ? i : period - 1 - i;
}

// Weights of a cubic convolution with a = -1/2 at the four cells around.
double cubic(double distance) {
  const double d = std::abs(distance);
  if (d < 1.0)
    return (1.5 * d - 2.5) * d * d + 1.0;
  return d < 2.0 ? ((-0.5 * d + 2.5) * d - 4.0) * d + 2.0 : 0.0;
}

SPRENN_WIDE void scale_row(float* out, const float* in, float by, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = by * in[i];
}

SPRENN_WIDE void add_row(float* out, const float* in, float by, int n) {
  for (int i = 0; i < n; ++i)
    out[i] += by * in[i];
}

// Of each output cell the weighted cells of the input, which begin at `at`.
SPRENN_WIDE void two_taps(float* __restrict out, const float* __restrict in, const int* at,
                          const float* p, const float* q, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = p[i] * in[at[i]] + q[i] * in[at[i] + 1];
}
SPRENN_WIDE void four_taps(float* __restrict out, const float* __restrict in, const int* at,
                           const float* by, int n) {
  const float *p = by, *q = by + n, *r = by + 2 * static_cast<std::ptrdiff_t>(n),
              *s = by + 3 * static_cast<std::ptrdiff_t>(n);
  for (int i = 0; i < n; ++i)
    out[i] =
        (p[i] * in[at[i]] + q[i] * in[at[i] + 1]) + (r[i] * in[at[i] + 2] + s[i] * in[at[i] + 3]);
}
SPRENN_WIDE void halve_row(float* __restrict out, const float* __restrict in, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = 0.5f * in[2 * i] + 0.5f * in[2 * i + 1];
}
SPRENN_WIDE void first_tap(float* __restrict out, const float* __restrict in, const int* at,
                           const float* by, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = by[i] * in[at[i]];
}
SPRENN_WIDE void next_tap(float* __restrict out, const float* __restrict in, const int* at,
                          const float* by, int n) {
  for (int i = 0; i < n; ++i)
    out[i] += by[i] * in[at[i]];
}

// Pairs of one weight, four at a time: each pass over the row costs as much as the sums.
SPRENN_WIDE void add_pair(float* out, const float* a, const float* b, float by, int n) {
  for (int i = 0; i < n; ++i)
    out[i] += by * (a[i] + b[i]);
}
SPRENN_WIDE void add_pairs(float* out, const float* const* in, const float* by, int n) {
  const float *a = in[0], *b = in[1], *c = in[2], *d = in[3];
  const float *e = in[4], *f = in[5], *g = in[6], *h = in[7];
  const float p = by[0], q = by[1], r = by[2], s = by[3];
  for (int i = 0; i < n; ++i)
    out[i] += p * (a[i] + b[i]) + q * (c[i] + d[i]) + r * (e[i] + f[i]) + s * (g[i] + h[i]);
}

constexpr int kNear = 12;

// A symmetric filter of a reach known beforehand in one pass; `in` holds the rows from the
// first to the last that it reaches.
template <int kReach>
__attribute__((always_inline)) inline void filter_by(float* __restrict out, const float* const* in,
                                                     const float* kernel, int n) {
  const float* rows[2 * kReach + 1];
  float by[kReach + 1];
  for (int k = 0; k <= 2 * kReach; ++k)
    rows[k] = in[k];
  for (int k = 0; k <= kReach; ++k)
    by[k] = kernel[k];
  SPRENN_APART
  for (int i = 0; i < n; ++i) {
    float sum = by[0] * rows[kReach][i];
    for (int k = 1; k <= kReach; ++k)
      sum += by[k] * (rows[kReach - k][i] + rows[kReach + k][i]);
    out[i] = sum;
  }
}
SPRENN_WIDE void filter_near(float* out, const float* const* in, const float* kernel, int reach,
                             int n) {
  switch (reach) {
    case 1:
      return filter_by<1>(out, in, kernel, n);
    case 2:
      return filter_by<2>(out, in, kernel, n);
    case 3:
      return filter_by<3>(out, in, kernel, n);
    case 4:
      return filter_by<4>(out, in, kernel, n);
    case 5:
      return filter_by<5>(out, in, kernel, n);
    case 6:
      return filter_by<6>(out, in, kernel, n);
    case 7:
      return filter_by<7>(out, in, kernel, n);
    case 8:
      return filter_by<8>(out, in, kernel, n);
    case 9:
      return filter_by<9>(out, in, kernel, n);
    case 10:
      return filter_by<10>(out, in, kernel, n);
    case 11:
      return filter_by<11>(out, in, kernel, n);
    default:
      return filter_by<kNear>(out, in, kernel, n);
  }
}

// One row of a symmetric filter of any reach.
void filter_row(float* out, const float* const* in, const std::vector<float>& kernel, int n) {
  const int reach = static_cast<int>(kernel.size()) - 1;
  if (reach <= kNear)
    return filter_near(out, in, kernel.data(), reach, n);
  const float* const* centre = in + reach;
  scale_row(out, centre[0], kernel[0], n);
  int k = 1;
  for (; k + 3 <= reach; k += 4) {
    const float* const rows[8] = {centre[k],     centre[-k],     centre[k + 1], centre[-k - 1],
                                  centre[k + 2], centre[-k - 2], centre[k + 3], centre[-k - 3]};
    add_pairs(out, rows, kernel.data() + k, n);
  }
  for (; k <= reach; ++k)
    add_pair(out, centre[k], centre[-k], kernel[static_cast<std::size_t>(k)], n);
}

SPRENN_WIDE void half_difference(float* out, const float* before, const float* after, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = 0.5f * (after[i] - before[i]);
}

SPRENN_WIDE void lengths(float* out, const float* x, const float* y, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i)
    out[i] = std::sqrt(x[i] * x[i] + y[i] * y[i]);
}

double sum_of_lanes(const double* lane) {
  return ((lane[0] + lane[1]) + (lane[2] + lane[3])) + ((lane[4] + lane[5]) + (lane[6] + lane[7]));
}

}  // namespace

SPRENN_WIDE void tile_of_columns(float* tile, const double* columns, int height, int left, int top,
                                 int w, int h) {
  for (int x = 0; x < w; ++x) {
    const double* column = columns + static_cast<std::ptrdiff_t>(left + x) * height + top;
    for (int y = 0; y < h; ++y)
      tile[y * w + x] = static_cast<float>(column[y]);
  }
}

Plane from_columns(const double* columns, int width, int height) {
  Plane plane = Plane::unset(width, height);
  float tile[kTile];
  by_tiles(width, height, [&](int left, int top, int w, int h) {
    tile_of_columns(tile, columns, height, left, top, w, h);
    for (int y = 0; y < h; ++y)
      std::copy_n(tile + y * w, w, plane.row(top + y) + left);
  });
  return plane;
}

void to_columns(const Plane& plane, double* columns) {
  float tile[kTile];
  by_tiles(plane.width, plane.height, [&](int left, int top, int w, int h) {
    for (int y = 0; y < h; ++y)
      std::copy_n(plane.row(top + y) + left, w, tile + y * w);
    for (int x = 0; x < w; ++x) {
      double* column = columns + static_cast<std::ptrdiff_t>(left + x) * plane.height + top;
      for (int y = 0; y < h; ++y)
        column[y] = static_cast<double>(tile[y * w + x]);
    }
  });
}

Size with_long_edge(int width, int height, int long_edge) {
  const double scale = static_cast<double>(long_edge) / std::max(width, height);
  return {std::max(1, static_cast<int>(std::lround(width * scale))),
          std::max(1, static_cast<int>(std::lround(height * scale)))};
}

Shrinker::Taps Shrinker::taps(int from, int to) {
  const double scale = static_cast<double>(from) / to;
  struct Reach {
    double low, high;
    int begin, end;
  };
  const auto reach_of = [=](int i) {
    const double centre = (i + 0.5) * scale - 0.5;
    const double low = scale >= 1.0 ? i * scale : std::floor(centre) - 1.0;
    const double high = scale >= 1.0 ? (i + 1) * scale : std::floor(centre) + 3.0;
    return Reach{low, high, static_cast<int>(std::floor(low + 1e-9)),
                 static_cast<int>(std::ceil(high - 1e-9))};
  };
  Taps out;
  out.first.resize(static_cast<std::size_t>(to));
  for (int i = 0; i < to; ++i) {
    const Reach reach = reach_of(i);
    out.first[static_cast<std::size_t>(i)] = std::clamp(reach.begin, 0, from - 1);
    out.count = std::max(out.count, std::clamp(reach.end - 1, 0, from - 1) -
                                        out.first[static_cast<std::size_t>(i)] + 1);
  }
  out.weights.assign(static_cast<std::size_t>(to) * static_cast<std::size_t>(out.count), 0.0f);
  std::vector<float> own;
  for (int i = 0; i < to; ++i) {
    const Reach reach = reach_of(i);
    // Near the end the same weights, counted from an earlier cell.
    const int first =
        std::max(0, std::min(out.first[static_cast<std::size_t>(i)], from - out.count));
    own.assign(static_cast<std::size_t>(out.count), 0.0f);
    double total = 0.0;
    for (int j = reach.begin; j < reach.end; ++j) {
      const double weight =
          scale >= 1.0 ? std::min(reach.high, j + 1.0) - std::max(reach.low, static_cast<double>(j))
                       : cubic(j - ((i + 0.5) * scale - 0.5));
      own[static_cast<std::size_t>(std::clamp(j, 0, from - 1) - first)] +=
          static_cast<float>(weight);
      total += weight;
    }
    for (std::size_t k = 0; k < own.size(); ++k)
      out.weights[k * out.first.size() + static_cast<std::size_t>(i)] =
          static_cast<float>(own[k] / total);
    out.first[static_cast<std::size_t>(i)] = first;
  }
  return out;
}

Shrinker::Shrinker(int width, int height, int to_width, int to_height)
    : width_(width),
      across_(taps(width, to_width)),
      down_(taps(height, to_height)),
      out_(Plane::unset(to_width, to_height)) {
  halving_ = across_.count == 2;
  for (int i = 0; halving_ && i < to_width; ++i)
    halving_ = across_.first[static_cast<std::size_t>(i)] == 2 * i &&
               across_.weights[static_cast<std::size_t>(i)] == 0.5f &&
               across_.weights[static_cast<std::size_t>(to_width + i)] == 0.5f;
  // Output rows under way at once follow each other.
  int open = 1;
  for (int to = 0, first = 0; to < to_height; ++to) {
    while (last_of(first) < down_.first[static_cast<std::size_t>(to)])
      ++first;
    open = std::max(open, to - first + 1);
  }
  if (to_width != width_)
    open_ = Plane::unset(width_, open);
}

int Shrinker::last_of(int to) const {
  return down_.first[static_cast<std::size_t>(to)] + down_.count - 1;
}

float Shrinker::weight_down(int tap, int to) const {
  return down_.weights[static_cast<std::size_t>(tap * out_.height + to)];
}

void Shrinker::add(int y, const float* row) {
  for (int to = next_; to < out_.height; ++to) {
    const int begin = down_.first[static_cast<std::size_t>(to)], last = last_of(to);
    if (begin > y)
      break;
    float* sum = open_.height ? open_.row(to % open_.height) : out_.row(to);
    const float weight = weight_down(y - begin, to);
    if (y == begin)
      scale_row(sum, row, weight, width_);
    else if (weight != 0.0f)
      add_row(sum, row, weight, width_);
    if (y < last)
      continue;
    if (open_.height)
      across(out_.row(to), sum);
    ++next_;
  }
}

void Shrinker::across(float* to, const float* from) const {
  const int n = out_.width;
  const int* first = across_.first.data();
  const float* weights = across_.weights.data();
  if (halving_)
    return halve_row(to, from, n);
  if (across_.count == 2)
    return two_taps(to, from, first, weights, weights + n, n);
  if (across_.count == 4)
    return four_taps(to, from, first, weights, n);
  first_tap(to, from, first, weights, n);
  for (int k = 1; k < across_.count; ++k)
    next_tap(to, from + k, first, weights + static_cast<std::ptrdiff_t>(k) * n, n);
}

Plane Shrinker::finish() {
  return std::move(out_);
}

Plane resize(const Plane& plane, int width, int height) {
  if (plane.width == width && plane.height == height)
    return plane;
  Shrinker shrinker(plane.width, plane.height, width, height);
  for (int y = 0; y < plane.height; ++y)
    shrinker.add(y, plane.row(y));
  return shrinker.finish();
}

Picture resize(const Picture& picture, int width, int height) {
  Picture out;
  for (int c = 0; c < 3; ++c)
    out.channel[c] = resize(picture.channel[c], width, height);
  return out;
}

Plane blur(const Plane& plane, float sigma) {
  const auto kernel = gaussian_kernel(sigma);
  const int reach = static_cast<int>(kernel.size()) - 1, all = 2 * reach + 1;
  const int w = plane.width, h = plane.height;
  // Rows are blurred across when they are first needed, and kept until they no longer are,
  // a little apart: at a distance of 4096 bytes they would push each other out of the cache.
  Plane rows = Plane::unset(w + 16, std::min(h, all + 1));
  std::vector<float> padded(static_cast<std::size_t>(w + 2 * reach));
  std::vector<const float*> in(static_cast<std::size_t>(all));
  int done = 0;
  const auto blurred = [&](int y) {
    for (; done <= y; ++done) {
      const float* from = plane.row(done);
      std::copy(from, from + w, padded.begin() + reach);
      for (int i = 0; i < reach; ++i) {
        padded[static_cast<std::size_t>(i)] = from[mirrored(i - reach, w)];
        padded[static_cast<std::size_t>(w + reach + i)] = from[mirrored(w + i, w)];
      }
      for (int k = 0; k < all; ++k)
        in[static_cast<std::size_t>(k)] = padded.data() + k;
      filter_row(rows.row(done % rows.height), in.data(), kernel, w);
    }
  };
  Plane out = Plane::unset(w, h);
  for (int y = 0; y < h; ++y) {
    blurred(std::min(h - 1, y + reach));
    for (int k = 0; k < all; ++k)
      in[static_cast<std::size_t>(k)] = rows.row(mirrored(y + k - reach, h) % rows.height);
    filter_row(out.row(y), in.data(), kernel, w);
  }
  return out;
}

Plane blur_wide(const Plane& plane, float sigma) {
  const float wanted = 3.0f;
  const int factor = std::max(1, static_cast<int>(sigma / wanted));
  const Plane small =
      resize(plane, std::max(1, plane.width / factor), std::max(1, plane.height / factor));
  return resize(blur(small, sigma / static_cast<float>(factor)), plane.width, plane.height);
}

void gradient_row(const Plane& plane, int y, float* across, float* down) {
  const int w = plane.width;
  const float* row = plane.row(y);
  across[0] = 0.5f * (row[std::min(1, w - 1)] - row[0]);
  if (w > 2)
    half_difference(across + 1, row, row + 2, w - 2);
  if (w > 1)
    across[w - 1] = 0.5f * (row[w - 1] - row[w - 2]);
  half_difference(down, plane.row(std::max(0, y - 1)), plane.row(std::min(plane.height - 1, y + 1)),
                  w);
}

Gradient gradient_of(const Plane& plane) {
  Gradient out{Plane::unset(plane.width, plane.height), Plane::unset(plane.width, plane.height)};
  for (int y = 0; y < plane.height; ++y)
    gradient_row(plane, y, out.across.row(y), out.down.row(y));
  return out;
}

Plane length_of(const Gradient& gradient) {
  Plane out = Plane::unset(gradient.across.width, gradient.across.height);
  lengths(out.values.data(), gradient.across.values.data(), gradient.down.values.data(),
          out.size());
  return out;
}

float sample(const Plane& plane, float x, float y) {
  return Sampler(plane.width, plane.height, x, y).of(plane);
}

Plane columns_of(const Plane& plane, int every, int first) {
  Plane out =
      Plane::unset(plane.height, first < plane.width ? (plane.width - 1 - first) / every + 1 : 0);
  // So many columns at once that their lines stay in the cache until they are full.
  constexpr int kTogether = 16;
  for (int left = 0; left < out.height; left += kTogether) {
    const int right = std::min(out.height, left + kTogether);
    for (int y = 0; y < plane.height; ++y) {
      const float* from = plane.row(y) + first;
      for (int k = left; k < right; ++k)
        out.row(k)[y] = from[static_cast<std::ptrdiff_t>(k) * every];
    }
  }
  return out;
}

// Eight sums side by side: one would wait for itself at every step.
SPRENN_WIDE double sum_of(const float* values, std::size_t n) {
  double lane[8] = {};
  std::size_t i = 0;
  for (; i + 8 <= n; i += 8)
    for (std::size_t k = 0; k < 8; ++k)
      lane[k] += static_cast<double>(values[i + k]);
  for (std::size_t k = 0; i < n; ++i, ++k)
    lane[k] += static_cast<double>(values[i]);
  return sum_of_lanes(lane);
}

SPRENN_WIDE double sum_of_products(const float* a, const float* b, double less_a, double less_b,
                                   std::size_t n) {
  double lane[8] = {};
  std::size_t i = 0;
  for (; i + 8 <= n; i += 8)
    for (std::size_t k = 0; k < 8; ++k)
      lane[k] +=
          (static_cast<double>(a[i + k]) - less_a) * (static_cast<double>(b[i + k]) - less_b);
  for (std::size_t k = 0; i < n; ++i, ++k)
    lane[k] += (static_cast<double>(a[i]) - less_a) * (static_cast<double>(b[i]) - less_b);
  return sum_of_lanes(lane);
}

double mean_of(const Plane& plane) {
  return sum_of(plane.values.data(), plane.size()) / static_cast<double>(plane.size());
}

double spread_of(const Plane& plane) {
  return std::sqrt(covariance_of(plane, plane));
}

double covariance_of(const Plane& a, const Plane& b) {
  return sum_of_products(a.values.data(), b.values.data(), mean_of(a), mean_of(b), a.size()) /
         static_cast<double>(a.size());
}

namespace {

constexpr std::size_t kWorthCounting = 16384;  // below it a plain search is faster
constexpr std::size_t kAtOnce = 64;            // ranks that are looked through together

using Rank = std::uint16_t;
using Ranks = std::vector<Rank, Recycled<Rank>>;

// Numbers rank like the bits that they are written with, once the sign is turned round;
// this is the upper half of them.
SPRENN_WIDE void rank_all(Rank* out, const float* values, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    std::int32_t bits;
    std::memcpy(&bits, values + i, sizeof bits);
    const std::int32_t negative = bits >> 31;
    out[i] = static_cast<Rank>(static_cast<std::uint32_t>(bits ^ (negative | INT32_MIN)) >> 16);
  }
}

SPRENN_WIDE bool is_among(const Rank* ranks, Rank sought) {
  Rank found = 0;
  for (std::size_t k = 0; k < kAtOnce; ++k)
    found = static_cast<Rank>(found | (ranks[k] == sought));
  return found != 0;
}

// The values of one rank.
void collect(Values& out, const float* values, const Ranks& ranks, Rank sought) {
  out.clear();
  const auto look = [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i)
      if (ranks[i] == sought)
        out.push_back(values[i]);
  };
  std::size_t i = 0;
  for (; i + kAtOnce <= ranks.size(); i += kAtOnce)
    if (is_among(ranks.data() + i, sought))
      look(i, i + kAtOnce);
  look(i, ranks.size());
}

// How many values have each rank. Two counts in turns: neighbours are often alike, and one
// count would wait for itself.
std::vector<std::uint32_t> count_ranks(const Ranks& ranks) {
  constexpr std::size_t kRanks = 65536;
  static thread_local std::vector<std::uint32_t> other(kRanks);
  std::vector<std::uint32_t> count(kRanks, 0);
  std::fill(other.begin(), other.end(), 0u);
  for (std::size_t i = 0; i + 1 < ranks.size(); i += 2) {
    ++count[ranks[i]];
    ++other[ranks[i + 1]];
  }
  if (ranks.size() % 2)
    ++count[ranks.back()];
  for (std::size_t k = 0; k < kRanks; ++k)
    count[k] += other[k];
  return count;
}

float nth_of(Values& values, std::size_t place) {
  const auto sought = values.begin() + static_cast<std::ptrdiff_t>(place);
  std::nth_element(values.begin(), sought, values.end());
  return *sought;
}

}  // namespace

std::vector<float> quantiles_of(const float* values, std::size_t n,
                                const std::vector<double>& shares) {
  if (n == 0)
    return std::vector<float>(shares.size(), 0.0f);
  const auto place_of = [&](double share) {
    return static_cast<std::size_t>(share * static_cast<double>(n - 1));
  };
  std::vector<float> out;
  if (n < kWorthCounting) {
    Values copy(values, values + n);
    for (const double share : shares)
      out.push_back(nth_of(copy, place_of(share)));
    return out;
  }
  // The count tells which rank is sought: few have it, and among them it is found.
  Ranks ranks(n);
  rank_all(ranks.data(), values, n);
  const std::vector<std::uint32_t> count = count_ranks(ranks);
  Values near;
  for (const double share : shares) {
    std::size_t place = place_of(share), rank = 0;
    while (place >= count[rank])
      place -= count[rank++];
    near.reserve(count[rank]);
    collect(near, values, ranks, static_cast<Rank>(rank));
    out.push_back(nth_of(near, place));
  }
  return out;
}

}  // namespace sprenn
