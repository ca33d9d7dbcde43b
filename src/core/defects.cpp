#include "vectorise.h"

#include "defects.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <utility>
#include <vector>

namespace sprenn {

namespace {

constexpr float kContour = 0.25f;      // the share of the luma's range that makes a contour clear
constexpr float kFaintest = 0.04f;     // but never less than this step
constexpr float kJitter = 0.15f;       // going back by less of such a step does not end a contour
constexpr std::size_t kFewest = 40;    // contours without which nothing is said of blur
constexpr std::size_t kFewOneWay = 3;  // of those the other way, so many parts must be there
constexpr double kInFocus = 0.05;      // the share of contours that may be all that is in focus
constexpr int kNoiseBlock = 16;
constexpr std::size_t kPlainest = 7;  // one block in so many counts as plain
constexpr int kGrid = 8;
constexpr float kLargestStep = 0.08f;

struct Contours {
  std::vector<float> widths;
};

// Contours along one line of values.
void find_contours(const float* line, int n, float clear, Contours& found) {
  const auto at = [&](int i) { return line[i]; };
  // What rises less than this at its steepest would be wider than anything counted.
  const float least = 0.05f * clear;
  int i = 1;
  while (i < n) {
    while (i < n && std::abs(line[i] - line[i - 1]) < least)
      ++i;
    if (i == n)
      break;
    const float slope = at(i) - at(i - 1);
    const float sign = slope > 0.0f ? 1.0f : -1.0f;
    int first = i - 1, last = i;
    while (first > 0 && sign * (at(first) - at(first - 1)) > 0.0f)
      --first;
    float top = sign * at(last);
    int end = last;
    while (end + 1 < n && sign * at(end + 1) > top - kJitter * clear && end - last < 6) {
      ++end;
      if (sign * at(end) > top) {
        top = sign * at(end);
        last = end;
      }
    }
    const float low = sign * at(first), rise = top - low;
    if (rise >= clear) {
      // From a tenth to nine tenths of the rise, between pixels.
      const auto crossing = [&](float share) {
        const float level = low + share * rise;
        for (int k = first; k < last; ++k) {
          const float a = sign * at(k), b = sign * at(k + 1);
          if (a <= level && b >= level)
            return static_cast<float>(k) + (b > a ? (level - a) / (b - a) : 0.0f);
        }
        return static_cast<float>(last);
      };
      found.widths.push_back(std::max(0.5f, crossing(0.9f) - crossing(0.1f)));
    }
    i = std::max(last + 1, i + 1);
  }
}

// How wide the sharpest contours are, across and down: shaking blurs them one way only.
double blur_of(const Plane& luma) {
  std::vector<float> some;
  const int every = std::max(1, std::max(luma.width, luma.height) / 160);
  for (int y = every / 2; y < luma.height; y += every)
    for (int x = every / 2; x < luma.width; x += every)
      some.push_back(luma.at(x, y));
  const float range = quantile_of(some, 0.98) - quantile_of(some, 0.02),
              clear = std::max(kFaintest, kContour * range);
  Contours across;
  for (int y = every / 2; y < luma.height; y += every)
    find_contours(luma.row(y), luma.width, clear, across);
  Contours down;
  const Plane columns = columns_of(luma, every, every / 2);
  for (int k = 0; k < columns.height; ++k)
    find_contours(columns.row(k), columns.width, clear, down);
  // One way alone may hold little but slopes.
  const std::size_t fewest =
      std::max(kFewest, std::max(across.widths.size(), down.widths.size()) / kFewOneWay);
  double widest = 0.0;
  for (Contours* found : {&across, &down})
    if (found->widths.size() >= fewest)
      widest = std::max(widest, static_cast<double>(quantile_of(found->widths, kInFocus)));
  return widest;
}

SPRENN_WIDE void residual_row(float* out, const float* above, const float* own, const float* below,
                              int n) {
  for (int x = 1; x + 1 < n; ++x)
    out[x] = std::abs((above[x - 1] + above[x + 1] + below[x - 1] + below[x + 1]) -
                      2.0f * (above[x] + below[x] + own[x - 1] + own[x + 1]) + 4.0f * own[x]);
}

// The residual of a mask that neither planes nor edges pass, by blocks; sigma is its
// mean by sqrt(pi/2)/6. Where light is cut off grain is too: such blocks have -1.
Plane grain_of(const Plane& luma) {
  constexpr float kSigma = static_cast<float>(1.2533141373155003 / 6.0);
  const int w = luma.width, h = luma.height;
  if (w < 3 || h < 3)
    return Plane(1, 1);
  const int columns = std::max(1, w / kNoiseBlock), rows = std::max(1, h / kNoiseBlock);
  Plane sums(columns, rows), light(columns, rows), counts(columns, rows);
  std::vector<float> rest(static_cast<std::size_t>(w), 0.0f);
  for (int y = 1; y + 1 < h; ++y) {
    residual_row(rest.data(), luma.row(y - 1), luma.row(y), luma.row(y + 1), w);
    const int row = std::min(rows - 1, y / kNoiseBlock);
    const float* own = luma.row(y);
    for (int column = 0; column < columns; ++column) {
      const int from = std::max(1, column * kNoiseBlock),
                to = column + 1 == columns ? w - 1 : (column + 1) * kNoiseBlock;
      float sum = 0.0f, lit = 0.0f;
      for (int x = from; x < to; ++x) {
        sum += rest[static_cast<std::size_t>(x)];
        lit += own[x];
      }
      sums.at(column, row) += sum;
      light.at(column, row) += lit;
      counts.at(column, row) += static_cast<float>(std::max(0, to - from));
    }
  }
  for (std::size_t i = 0; i < sums.size(); ++i) {
    const float n = std::max(counts.values[i], 1.0f), mean = light.values[i] / n;
    sums.values[i] = mean > 0.03f && mean < 0.97f ? kSigma * sums.values[i] / n : -1.0f;
  }
  return sums;
}

SPRENN_WIDE void steps_between(float* out, const float* from, const float* to, int n) {
  for (int x = 0; x < n; ++x)
    out[x] = std::min(std::abs(to[x] - from[x]), kLargestStep);
}

// What a step exceeds both its neighbours by: texture's steps come in company.
SPRENN_WIDE void add_lonely(float* sums, const float* before, const float* own, const float* after,
                            int n) {
  for (int x = 0; x < n; ++x)
    sums[x] += std::max(0.0f, own[x] - std::max(before[x], after[x]));
}

// The powers of a sequence at some frequencies, in cycles a place (Goertzel 1958).
constexpr std::size_t kTogether = 16;
using Powers = std::array<double, kTogether>;
SPRENN_WIDE void powers_at(const double* values, std::size_t n, const double* frequencies,
                           double* powers) {
  constexpr double kTurn = 6.283185307179586;
  Powers twice_cosine, last{}, before{};
  for (std::size_t k = 0; k < kTogether; ++k)
    twice_cosine[k] = 2.0 * std::cos(kTurn * frequencies[k]);
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t k = 0; k < kTogether; ++k) {
      const double next = values[i] + twice_cosine[k] * last[k] - before[k];
      before[k] = last[k];
      last[k] = next;
    }
  for (std::size_t k = 0; k < kTogether; ++k)
    powers[k] = last[k] * last[k] + before[k] * before[k] - twice_cosine[k] * last[k] * before[k];
}

// The same of any number of them: each would wait for itself, several at once do not.
std::vector<double> all_powers(const std::vector<double>& values, std::vector<double> frequencies) {
  const std::size_t wanted = frequencies.size();
  while (frequencies.size() % kTogether)
    frequencies.push_back(0.0);
  std::vector<double> out(frequencies.size());
  for (std::size_t i = 0; i < frequencies.size(); i += kTogether)
    powers_at(values.data(), values.size(), frequencies.data() + i, out.data() + i);
  out.resize(wanted);
  return out;
}

double power_at(const std::vector<double>& values, double frequency) {
  return all_powers(values, {frequency})[0];
}

// What stands out of a profile of lonely steps: less its moving mean, cut off at three
// deviations, and faded out towards both ends.
std::vector<double> standing_out(const std::vector<double>& profile) {
  constexpr int kAround = 12;
  const int n = static_cast<int>(profile.size());
  std::vector<double> out(profile.size());
  double squares = 0.0;
  for (int i = 0; i < n; ++i) {
    const int from = std::max(0, i - kAround), to = std::min(n - 1, i + kAround);
    double sum = 0.0;
    for (int k = from; k <= to; ++k)
      sum += profile[static_cast<std::size_t>(k)];
    const double rest = profile[static_cast<std::size_t>(i)] - sum / (to - from + 1);
    out[static_cast<std::size_t>(i)] = rest;
    squares += rest * rest;
  }
  const double most = 3.0 * std::sqrt(squares / std::max(1, n));
  for (int i = 0; i < n; ++i) {
    const double fade = 0.5 - 0.5 * std::cos(6.283185307179586 * (i + 0.5) / n);
    double& value = out[static_cast<std::size_t>(i)];
    value = fade * std::clamp(value, -most, most);
  }
  return out;
}

// How strong lonely steps are that come at one pitch of 5 to 17 px, by their mean; 0 unless
// the pitch and its harmonics stand out clearly among all. Resizing leaves any such pitch.
double grid_excess(const std::vector<double>& profile) {
  constexpr double kLeastPitch = 4.8, kMostPitch = 17.0, kHighest = 0.48, kClear = 3.2;
  if (profile.size() < 4 * kGrid)
    return 0.0;
  const std::vector<double> values = standing_out(profile);
  std::vector<double> frequencies;
  for (double frequency = 0.04; frequency < 0.5; frequency += 0.0037)
    frequencies.push_back(frequency);
  std::vector<float> others;
  for (const double power : all_powers(values, frequencies))
    others.push_back(static_cast<float>(power));
  const double usual = static_cast<double>(quantile_of(others, 0.5)) + 1e-12;
  const double resolution = 0.35 / static_cast<double>(profile.size());
  frequencies.clear();
  for (double frequency = 1.0 / kMostPitch; frequency < 1.0 / kLeastPitch; frequency += resolution)
    frequencies.push_back(frequency);
  const std::vector<double> powers = all_powers(values, frequencies);
  double best = 0.0, strength = 0.0;
  for (std::size_t i = 0; i < frequencies.size(); ++i) {
    const double frequency = frequencies[i];
    double sum = std::log(std::max(1.0, powers[i] / usual));
    // Alone it is not enough: most frequencies end here.
    if (sum < best)
      continue;
    double n = 1.0;
    for (int harmonic = 2; harmonic <= 3 && harmonic * frequency < kHighest; ++harmonic) {
      sum += std::log(std::max(1.0, power_at(values, harmonic * frequency) / usual));
      n += 1.0;
    }
    if (n < 2.0 || sum / n <= best)
      continue;
    best = sum / n;
    strength = std::sqrt(powers[i]) * 4.0 / static_cast<double>(values.size());
  }
  double mean = 0.0;
  for (const double value : profile)
    mean += value / static_cast<double>(profile.size());
  return best >= kClear ? strength / (mean + 0.0004) : 0.0;
}

double blocks_of(const Plane& luma) {
  const int w = luma.width, h = luma.height;
  if (w < 4 * kGrid || h < 4 * kGrid)
    return 0.0;
  const std::size_t n = static_cast<std::size_t>(w);
  std::vector<float> steps(n), across(n, 0.0f), down(n), last(n), before(n), sum(n);
  std::vector<double> columns(n - 1), rows(static_cast<std::size_t>(h - 1));
  for (int y = 0; y < h; ++y) {
    steps_between(steps.data(), luma.row(y), luma.row(y) + 1, w - 1);
    add_lonely(across.data() + 1, steps.data(), steps.data() + 1, steps.data() + 2, w - 3);
    if (y + 1 == h)
      break;
    steps_between(down.data(), luma.row(y), luma.row(y + 1), w);
    if (y >= 2) {
      std::fill(sum.begin(), sum.end(), 0.0f);
      add_lonely(sum.data(), before.data(), last.data(), down.data(), w);
      rows[static_cast<std::size_t>(y - 1)] = sum_of(sum.data(), n) / w;
    }
    before.swap(last);
    last.swap(down);
  }
  for (std::size_t x = 0; x < columns.size(); ++x)
    columns[x] = static_cast<double>(across[x]) / h;
  return std::max(0.0, std::min(grid_excess(columns), grid_excess(rows)));
}

// The grain of `own` in the quietest part of `plain`, both by blocks.
double grain_where_plain(const Plane& own, const Plane& plain) {
  std::vector<std::pair<float, float>> found;
  for (int y = 0; y < own.height; ++y)
    for (int x = 0; x < own.width; ++x) {
      const float there = plain.at(x * plain.width / own.width, y * plain.height / own.height);
      if (own.at(x, y) >= 0.0f && there >= 0.0f)
        found.emplace_back(there, own.at(x, y));
    }
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& a, const auto& b) { return a.first < b.first; });
  found.resize((found.size() + kPlainest - 1) / kPlainest);
  std::vector<float> levels;
  for (const auto& one : found)
    levels.push_back(one.second);
  return static_cast<double>(quantile_of(levels, 0.4));
}

}  // namespace

double graininess(const Defects& own, const Defects& plain) {
  return grain_where_plain(own.grain, plain.grain);
}

double usual_grain(const Defects& own) {
  std::vector<float> levels;
  std::copy_if(own.grain.values.begin(), own.grain.values.end(), std::back_inserter(levels),
               [](float value) { return value >= 0.0f; });
  return static_cast<double>(quantile_of(levels, 0.5));
}

Defects find_defects(const Plane& luma) {
  Defects out;
  out.blur = blur_of(luma);
  out.grain = grain_of(luma);
  out.blocks = blocks_of(luma);
  return out;
}

}  // namespace sprenn
