#include "vectorise.h"

#include "hand.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>

namespace sprenn {

namespace {

constexpr int kPatterns = 10;           // uniform patterns of eight neighbours, and the rest
constexpr float kTone = 3.0f / 255.0f;  // tones nearer than this are one to a pattern
constexpr std::array<float, 5> kSteps = {0.0015f, 0.006f, 0.02f, 0.06f, 0.15f};
constexpr float kRunEnds = 0.006f;  // the step that ends a run of one tone

// Where uniform patterns (at most two changes around the circle) have as many ones.
std::array<unsigned char, 256> pattern_table() {
  std::array<unsigned char, 256> table{};
  for (unsigned code = 0; code < 256; ++code) {
    int changes = 0, ones = 0;
    for (unsigned k = 0; k < 8; ++k) {
      const unsigned own = code >> k & 1u, next = code >> ((k + 1) % 8) & 1u;
      changes += own != next;
      ones += static_cast<int>(own);
    }
    table[code] = static_cast<unsigned char>(changes <= 2 ? ones : kPatterns - 1);
  }
  return table;
}

using Tone = std::int16_t;

// Of each pixel a bit for each of its eight neighbours that is at least as light.
SPRENN_WIDE void codes_of_row(std::uint16_t* codes, const Tone* own, const std::ptrdiff_t* around,
                              int n) {
  const Tone *a = own + around[0], *b = own + around[1], *c = own + around[2], *d = own + around[3];
  const Tone *e = own + around[4], *f = own + around[5], *g = own + around[6], *h = own + around[7];
  SPRENN_APART
  for (int x = 0; x < n; ++x) {
    const Tone middle = own[x];
    codes[x] = static_cast<std::uint16_t>((a[x] >= middle ? 1 : 0) | (b[x] >= middle ? 2 : 0) |
                                          (c[x] >= middle ? 4 : 0) | (d[x] >= middle ? 8 : 0) |
                                          (e[x] >= middle ? 16 : 0) | (f[x] >= middle ? 32 : 0) |
                                          (g[x] >= middle ? 64 : 0) | (h[x] >= middle ? 128 : 0));
  }
}

// Local binary patterns (Ojala et al. 2002) at a radius, on tones in coarse steps.
void add_patterns(const std::vector<Tone>& tone, int w, int h, int radius,
                  std::vector<double>& out) {
  static const auto table = pattern_table();
  const int far = radius, near = std::max(1, static_cast<int>(std::lround(0.7071 * radius)));
  const std::array<std::ptrdiff_t, 8> around = {-far * w, -near * w + near, far,  near * w + near,
                                                far * w,  near * w - near,  -far, -near * w - near};
  const int n = w - 2 * radius;
  std::vector<std::uint16_t> codes(static_cast<std::size_t>(std::max(0, n)));
  // Two counts in turns: neighbours often have one code, and one count would wait for itself.
  std::array<std::array<int, 256>, 2> seen{};
  for (int y = radius; n > 0 && y + radius < h; ++y) {
    const std::ptrdiff_t from = static_cast<std::ptrdiff_t>(y) * w + radius;
    codes_of_row(codes.data(), tone.data() + from, around.data(), n);
    for (std::size_t x = 0; x < codes.size(); ++x)
      ++seen[x & 1u][codes[x]];
  }
  std::array<double, kPatterns> count{};
  for (std::size_t code = 0; code < table.size(); ++code)
    count[table[code]] += seen[0][code] + seen[1][code];
  double total = 0.0;
  for (const double one : count)
    total += one;
  for (const double one : count)
    out.push_back(4.0 * std::sqrt(one / std::max(total, 1.0)));
}

std::vector<Tone> tones_in_steps(const Plane& lightness) {
  std::vector<Tone> out(lightness.size());
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] = static_cast<Tone>(lightness.values[i] / kTone);
  return out;
}

double log_of(double value, double floor) {
  return std::log(value + floor);
}

// How many neighbours hardly differ, across and down, and where a run of one tone ends.
SPRENN_WIDE void count_alike(const float* own, const float* under, float* across, char* ends,
                             int* below, int n) {
  for (int x = 0; x < n; ++x)
    across[x] = std::abs(own[x + 1] - own[x]);
  for (int x = 0; x < n; ++x)
    ends[x] = across[x] > kRunEnds;
  for (std::size_t k = 0; k < kSteps.size(); ++k) {
    const float step = kSteps[k];
    int alike = 0;
    for (int x = 0; x < n; ++x)
      alike += (across[x] < step) + (std::abs(under[x] - own[x]) < step);
    below[k] += alike;
  }
}

// Shares of neighbours that hardly differ, and how long one tone goes on.
void add_neighbours(const Plane& lightness, std::vector<double>& out) {
  const int n = lightness.width - 1, h = lightness.height;
  std::array<int, kSteps.size()> below{};
  std::vector<float> across(static_cast<std::size_t>(std::max(0, n))), runs;
  std::vector<char> ends(across.size());
  int ended = 0;
  for (int y = 0; y + 1 < h; ++y) {
    count_alike(lightness.row(y), lightness.row(y + 1), across.data(), ends.data(), below.data(),
                n);
    const char *begun = ends.data(), *const last = begun + n;
    while (begun < last) {
      const char* const end =
          static_cast<const char*>(std::memchr(begun, 1, static_cast<std::size_t>(last - begun)));
      const char* const next = end ? end + 1 : last;
      if (++ended % 3 == 0)
        runs.push_back(static_cast<float>(next - begun));
      begun = next;
    }
  }
  const double pairs = 2.0 * std::max(0, n) * std::max(0, h - 1);
  for (const int count : below)
    out.push_back(3.0 * count / std::max(pairs, 1.0));
  for (const double share : {0.5, 0.8, 0.95})
    out.push_back(runs.empty() ? 6.0 : std::log1p(static_cast<double>(quantile_of(runs, share))));
}

Plane steepness(const Plane& lightness, float sigma) {
  return length_of(gradient_of(blur(lightness, sigma)));
}

constexpr std::size_t kLanes = 8;  // sums side by side: one would wait for itself

// The sum of those values whose counterpart is at least `least`, and how many these are.
SPRENN_WIDE void sum_above(const float* values, const float* counterpart, float least,
                           std::size_t n, double* sum, double* count) {
  double sums[kLanes] = {}, counts[kLanes] = {};
  std::size_t i = 0;
  for (; i + kLanes <= n; i += kLanes)
    for (std::size_t k = 0; k < kLanes; ++k) {
      const bool above = counterpart[i + k] >= least;
      sums[k] += static_cast<double>(above ? values[i + k] : 0.0f);
      counts[k] += above ? 1.0 : 0.0;
    }
  for (; i < n; ++i) {
    if (counterpart[i] < least)
      continue;
    sums[0] += static_cast<double>(values[i]);
    counts[0] += 1.0;
  }
  *sum = 0.0;
  *count = 0.0;
  for (std::size_t k = 0; k < kLanes; ++k) {
    *sum += sums[k];
    *count += counts[k];
  }
}

double mean_above(const Plane& plane, const Plane& counterpart, float least) {
  double sum, count;
  sum_above(plane.values.data(), counterpart.values.data(), least, plane.size(), &sum, &count);
  return sum / (count + 1e-9);
}

SPRENN_WIDE void differences(float* rest, float* size, const float* a, const float* b,
                             std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    rest[i] = a[i] - b[i];
    size[i] = std::abs(rest[i]);
  }
}

// How contours are made: as steps or as lines, hard or soft, dark or light.
void add_profiles(const Plane& lightness, std::vector<double>& out) {
  const Plane fine = steepness(lightness, 0.7f), middle = steepness(lightness, 1.4f),
              coarse = steepness(lightness, 2.8f);
  const std::vector<float> of_coarse = quantiles_of(coarse.values, {0.5, 0.92});
  const std::vector<float> of_fine = quantiles_of(fine.values, {0.5, 0.99});
  const float clear = of_coarse[1];
  const double at_fine = mean_above(fine, coarse, clear),
               at_middle = mean_above(middle, coarse, clear);
  const double at_coarse = mean_above(coarse, coarse, clear);
  out.push_back(log_of(at_fine, 0.001) - log_of(at_coarse, 0.001));
  out.push_back(log_of(at_middle, 0.001) - log_of(at_coarse, 0.001));
  out.push_back(log_of(of_fine[1], 0.001));
  out.push_back(log_of(of_fine[0], 0.0005));
  out.push_back(log_of(of_coarse[0], 0.0005));
  for (const float sigma : {1.0f, 2.0f}) {
    const Plane smooth = blur(lightness, sigma), wider = blur(smooth, sigma);
    Plane ridge = Plane::unset(smooth.width, smooth.height), strength = ridge;
    differences(ridge.values.data(), strength.values.data(), wider.values.data(),
                smooth.values.data(), ridge.size());
    const float strong = quantile_of(strength.values, 0.95);
    double dark = 0.0, all = 1e-9;
    for (std::size_t i = 0; i < ridge.size(); ++i) {
      if (strength.values[i] < strong)
        continue;
      dark += ridge.values[i] > 0.0f;
      all += 1.0;
    }
    const double sum = sum_of(strength.values.data(), strength.size());
    out.push_back(2.0 * dark / all);
    out.push_back(
        log_of(sum / static_cast<double>(std::max<std::size_t>(1, ridge.size())), 0.0002));
  }
}

SPRENN_WIDE void lengths_of(float* out, const float* a, const float* b, int n) {
  for (int x = 0; x < n; ++x)
    out[x] = std::sqrt(a[x] * a[x] + b[x] * b[x]);
}

SPRENN_WIDE void steps_of_colour(float* out, const float* a, const float* b, int n) {
  for (int x = 0; x < n; ++x) {
    const float da = a[x + 1] - a[x], db = b[x + 1] - b[x];
    out[x] = std::sqrt(da * da + db * db);
  }
}

SPRENN_WIDE void steps_of_light(float* out, const float* light, int n) {
  for (int x = 0; x < n; ++x)
    out[x] = std::abs(light[x + 1] - light[x]);
}

// Chroma: how much, and how it goes from pixel to pixel.
void add_chroma(const Picture& oklab, std::vector<double>& out) {
  const Plane &L = oklab.channel[0], &a = oklab.channel[1], &b = oklab.channel[2];
  Plane chroma = Plane::unset(a.width, a.height);
  for (int y = 0; y < a.height; ++y)
    lengths_of(chroma.row(y), a.row(y), b.row(y), a.width);
  for (const float level : quantiles_of(chroma.values, {0.1, 0.5, 0.9, 0.99}))
    out.push_back(log_of(level, 0.005));
  double coloured = 0.0, light = 0.0;
  const int pairs = a.width - 1;
  std::vector<float> steps(static_cast<std::size_t>(std::max(1, a.width)));
  for (int y = 0; y < a.height && pairs > 0; ++y) {
    steps_of_colour(steps.data(), a.row(y), b.row(y), pairs);
    coloured += sum_of(steps.data(), static_cast<std::size_t>(pairs));
    steps_of_light(steps.data(), L.row(y), pairs);
    light += sum_of(steps.data(), static_cast<std::size_t>(pairs));
  }
  const double n = 1e-9 + static_cast<double>(std::max(0, pairs)) * a.height;
  out.push_back(log_of(coloured / n, 0.0003));
  out.push_back(log_of(coloured / n, 0.0003) - log_of(light / n, 0.0003));
}

constexpr int kToneCells = 48, kColourSide = 20;

inline int cell_of(float value, float from, float to, int cells) {
  const float share = std::min(std::max((value - from) / (to - from), 0.0f), 0.9999f);
  return static_cast<int>(share * static_cast<float>(cells));
}

// In which cell of all tones, and of all colours, a pixel lies.
SPRENN_WIDE void cells_of_row(int* tone, int* colour, const float* L, const float* a,
                              const float* b, int n) {
  SPRENN_APART
  for (int x = 0; x < n; ++x) {
    tone[x] = cell_of(L[x], 0.0f, 1.0f, kToneCells);
    colour[x] = (cell_of(L[x], 0.0f, 1.0f, kColourSide) * kColourSide +
                 cell_of(a[x], -0.3f, 0.3f, kColourSide)) *
                    kColourSide +
                cell_of(b[x], -0.3f, 0.3f, kColourSide);
  }
}

// How few tones and colours there are.
void add_counts(const Picture& oklab, std::vector<double>& out) {
  std::vector<int> counts(kToneCells, 0), colours(kColourSide * kColourSide * kColourSide, 0);
  const double n = static_cast<double>(std::max<std::size_t>(1, oklab.channel[0].size()));
  const Plane &L = oklab.channel[0], &a = oklab.channel[1], &b = oklab.channel[2];
  std::vector<int> tone_of(static_cast<std::size_t>(L.width)), colour_of(tone_of.size());
  for (int y = 0; y < L.height; ++y) {
    cells_of_row(tone_of.data(), colour_of.data(), L.row(y), a.row(y), b.row(y), L.width);
    for (const int cell : tone_of)
      ++counts[static_cast<std::size_t>(cell)];
    for (const int cell : colour_of)
      ++colours[static_cast<std::size_t>(cell)];
  }
  std::vector<double> tones;
  for (const int count : counts)
    tones.push_back(count / n);
  double entropy = 0.0;
  for (const double share : tones)
    if (share > 0.0)
      entropy -= share * std::log(share);
  std::sort(tones.begin(), tones.end(), [](double p, double q) { return p > q; });
  double six = 0.0;
  for (std::size_t k = 0; k < 6; ++k)
    six += tones[k];
  out.push_back(2.0 * (tones[0] + tones[1]));
  out.push_back(2.0 * six);
  out.push_back(entropy);
  int used = 0;
  for (const int count : colours)
    used += count > 2e-4 * n;
  out.push_back(std::log(used + 1.0));
}

constexpr int kLongest = 24, kShortest = 3;  // the pitches looked for, in pixels
constexpr int kLags = kLongest + 1;

// Of a sequence the products with itself at each lag, lag by lag.
SPRENN_WIDE void add_products(float* sums, const float* step, int n) {
  float own[kLags] = {};
  for (int x = 0; x < n; ++x)
    for (int lag = 0; lag < kLags; ++lag)
      own[lag] += step[x] * step[x + lag];
  for (int lag = 0; lag < kLags; ++lag)
    sums[lag] = own[lag];
}

// How much one pitch recurs along the rows and the columns: tiles, dots, a screen.
double lattice(const Plane& lightness) {
  const int w = lightness.width, h = lightness.height;
  if (w < 4 * kLongest || h < 8)
    return 0.0;
  std::array<double, kLags> sums{};
  std::array<float, kLags> of_row{};
  std::vector<float> step(static_cast<std::size_t>(w - 1));
  for (int y = 0; y < h; y += 3) {
    const float* row = lightness.row(y);
    float mean = 0.0f;
    for (int x = 0; x + 1 < w; ++x)
      mean += step[static_cast<std::size_t>(x)] = std::min(std::abs(row[x + 1] - row[x]), 0.12f);
    mean /= static_cast<float>(w - 1);
    for (float& value : step)
      value -= mean;
    add_products(of_row.data(), step.data(), w - 1 - kLongest);
    for (std::size_t lag = 0; lag < kLags; ++lag)
      sums[lag] += static_cast<double>(of_row[lag]);
  }
  const double own = sums[0] + 1e-9;
  double best = 0.0;
  for (std::size_t lag = kShortest + 1; lag < kLongest; ++lag)
    best = std::max(best, (sums[lag] - 0.5 * (sums[lag - 1] + sums[lag + 1])) / own);
  return best;
}

std::vector<std::string> make_names() {
  std::vector<std::string> names;
  for (const char* at : {"1", "2", "1_half", "2_half"})
    for (int k = 0; k < kPatterns; ++k)
      names.push_back("pattern_" + std::string(at) + "_" + std::to_string(k));
  for (std::size_t k = 0; k < kSteps.size(); ++k)
    names.push_back("alike_" + std::to_string(k));
  for (const char* n :
       {"run_50",       "run_80",       "run_95",          "sharp_fine",   "sharp_middle",
        "steep_99",     "steep_50",     "steep_coarse",    "dark_lines_1", "ridges_1",
        "dark_lines_2", "ridges_2",     "chroma_10",       "chroma_50",    "chroma_90",
        "chroma_99",    "chroma_steps", "chroma_by_light", "two_tones",    "six_tones",
        "tone_entropy", "colours_used", "lattice_across",  "lattice_down"})
    names.push_back(n);
  return names;
}

}  // namespace

const std::vector<std::string>& hand_names() {
  static const std::vector<std::string> names = make_names();
  return names;
}

std::vector<double> hand_numbers(const Picture& oklab) {
  const Plane& lightness = oklab.channel[0];
  const Plane half =
      resize(lightness, std::max(1, lightness.width / 2), std::max(1, lightness.height / 2));
  std::vector<double> out;
  out.reserve(hand_names().size());
  for (const Plane* plane : {&lightness, &half}) {
    const std::vector<Tone> tone = tones_in_steps(*plane);
    for (const int radius : {1, 2})
      add_patterns(tone, plane->width, plane->height, radius, out);
  }
  add_neighbours(lightness, out);
  add_profiles(lightness, out);
  add_chroma(oklab, out);
  add_counts(oklab, out);
  out.push_back(lattice(lightness));
  out.push_back(lattice(columns_of(lightness, 1, 0)));
  return out;
}

}  // namespace sprenn
