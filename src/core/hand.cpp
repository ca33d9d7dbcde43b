#include "vectorise.h"

#include "hand.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kPatterns = 10;             // uniform patterns of eight neighbours, and the rest
constexpr float kTone = 3.0f / 255.0f;    // tones nearer than this are one to a pattern
constexpr std::array<float, 5> kSteps = {0.0015f, 0.006f, 0.02f, 0.06f, 0.15f};
constexpr float kRunEnds = 0.006f;        // the step that ends a run of one tone

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

// Local binary patterns (Ojala et al. 2002) at a radius, on tones in coarse steps.
void add_patterns(const std::vector<int>& tone, int w, int h, int radius, std::vector<double>& out) {
  static const auto table = pattern_table();
  std::array<double, kPatterns> count{};
  const int far = radius, near = std::max(1, static_cast<int>(std::lround(0.7071 * radius)));
  const std::array<std::ptrdiff_t, 8> around = {
      -far * w, -near * w + near, far, near * w + near, far * w, near * w - near, -far, -near * w - near};
  for (int y = radius; y + radius < h; ++y)
    for (int x = radius; x + radius < w; ++x) {
      const int* own = tone.data() + static_cast<std::ptrdiff_t>(y) * w + x;
      unsigned code = 0;
      for (unsigned k = 0; k < 8; ++k) code |= static_cast<unsigned>(own[around[k]] >= *own) << k;
      count[table[code]] += 1.0;
    }
  double total = 0.0;
  for (const double n : count) total += n;
  for (const double n : count) out.push_back(4.0 * std::sqrt(n / std::max(total, 1.0)));
}

std::vector<int> tones_in_steps(const Plane& lightness) {
  std::vector<int> out(lightness.size());
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = static_cast<int>(lightness.values[i] / kTone);
  return out;
}

double log_of(double value, double floor) { return std::log(value + floor); }

// Shares of neighbours that hardly differ, and how long one tone goes on.
void add_neighbours(const Plane& lightness, std::vector<double>& out) {
  const int w = lightness.width, h = lightness.height;
  std::array<double, kSteps.size()> below{};
  std::vector<float> runs;
  double n = 0.0;
  int ended = 0;
  for (int y = 0; y + 1 < h; ++y) {
    const float *own = lightness.row(y), *under = lightness.row(y + 1);
    int run = 0;
    for (int x = 0; x + 1 < w; ++x) {
      const float across = std::abs(own[x + 1] - own[x]), down = std::abs(under[x] - own[x]);
      for (std::size_t k = 0; k < kSteps.size(); ++k) below[k] += (across < kSteps[k]) + (down < kSteps[k]);
      n += 2.0;
      ++run;
      if (across > kRunEnds || x + 2 == w) {
        if (++ended % 3 == 0) runs.push_back(static_cast<float>(run));
        run = 0;
      }
    }
  }
  for (const double count : below) out.push_back(3.0 * count / std::max(n, 1.0));
  for (const double share : {0.5, 0.8, 0.95}) out.push_back(runs.empty() ? 6.0 : std::log1p(static_cast<double>(quantile_of(runs, share))));
}

Plane steepness(const Plane& lightness, float sigma) { return length_of(gradient_of(blur(lightness, sigma))); }

// How contours are made: as steps or as lines, hard or soft, dark or light.
void add_profiles(const Plane& lightness, std::vector<double>& out) {
  const Plane fine = steepness(lightness, 0.7f), middle = steepness(lightness, 1.4f), coarse = steepness(lightness, 2.8f);
  const float clear = quantile_of(coarse.values, 0.92);
  double sum_fine = 0.0, sum_middle = 0.0, sum_coarse = 0.0, n = 1e-9;
  for (std::size_t i = 0; i < coarse.size(); ++i) {
    if (coarse.values[i] < clear) continue;
    sum_fine += fine.values[i];
    sum_middle += middle.values[i];
    sum_coarse += coarse.values[i];
    n += 1.0;
  }
  out.push_back(log_of(sum_fine / n, 0.001) - log_of(sum_coarse / n, 0.001));
  out.push_back(log_of(sum_middle / n, 0.001) - log_of(sum_coarse / n, 0.001));
  out.push_back(log_of(quantile_of(fine.values, 0.99), 0.001));
  out.push_back(log_of(quantile_of(fine.values, 0.5), 0.0005));
  out.push_back(log_of(quantile_of(coarse.values, 0.5), 0.0005));
  for (const float sigma : {1.0f, 2.0f}) {
    const Plane smooth = blur(lightness, sigma), wider = blur(smooth, sigma);
    Plane ridge = Plane::unset(smooth.width, smooth.height), strength = ridge;
    double sum = 0.0;
    for (std::size_t i = 0; i < ridge.size(); ++i) {
      ridge.values[i] = wider.values[i] - smooth.values[i];
      strength.values[i] = std::abs(ridge.values[i]);
      sum += strength.values[i];
    }
    const float strong = quantile_of(strength.values, 0.95);
    double dark = 0.0, all = 1e-9;
    for (std::size_t i = 0; i < ridge.size(); ++i) {
      if (strength.values[i] < strong) continue;
      dark += ridge.values[i] > 0.0f;
      all += 1.0;
    }
    out.push_back(2.0 * dark / all);
    out.push_back(log_of(sum / static_cast<double>(std::max<std::size_t>(1, ridge.size())), 0.0002));
  }
}

// Chroma: how much, and how it goes from pixel to pixel.
void add_chroma(const Picture& oklab, std::vector<double>& out) {
  const Plane &L = oklab.channel[0], &a = oklab.channel[1], &b = oklab.channel[2];
  Plane chroma = Plane::unset(a.width, a.height);
  for (std::size_t i = 0; i < chroma.size(); ++i) chroma.values[i] = std::hypot(a.values[i], b.values[i]);
  for (const double share : {0.1, 0.5, 0.9, 0.99}) out.push_back(log_of(quantile_of(chroma.values, share), 0.005));
  double coloured = 0.0, light = 0.0, n = 1e-9;
  for (int y = 0; y < a.height; ++y)
    for (int x = 0; x + 1 < a.width; ++x) {
      coloured += std::hypot(a.at(x + 1, y) - a.at(x, y), b.at(x + 1, y) - b.at(x, y));
      light += std::abs(L.at(x + 1, y) - L.at(x, y));
      n += 1.0;
    }
  out.push_back(log_of(coloured / n, 0.0003));
  out.push_back(log_of(coloured / n, 0.0003) - log_of(light / n, 0.0003));
}

// How few tones and colours there are.
void add_counts(const Picture& oklab, std::vector<double>& out) {
  constexpr std::size_t kCells = 48;
  std::vector<double> tones(kCells, 0.0);
  constexpr int kSide = 20;
  std::vector<int> colours(kSide * kSide * kSide, 0);
  const double n = static_cast<double>(std::max<std::size_t>(1, oklab.channel[0].size()));
  const auto cell = [](float value, float from, float to) {
    return static_cast<std::size_t>(std::clamp((value - from) / (to - from), 0.0f, 0.9999f) * kSide);
  };
  for (std::size_t i = 0; i < oklab.channel[0].size(); ++i) {
    const float light = oklab.channel[0].values[i];
    tones[static_cast<std::size_t>(std::clamp(light, 0.0f, 0.9999f) * kCells)] += 1.0 / n;
    const std::size_t at = (cell(light, 0.0f, 1.0f) * kSide + cell(oklab.channel[1].values[i], -0.3f, 0.3f)) * kSide + cell(oklab.channel[2].values[i], -0.3f, 0.3f);
    ++colours[at];
  }
  double entropy = 0.0;
  for (const double share : tones)
    if (share > 0.0) entropy -= share * std::log(share);
  std::sort(tones.begin(), tones.end(), [](double p, double q) { return p > q; });
  double six = 0.0;
  for (std::size_t k = 0; k < 6; ++k) six += tones[k];
  out.push_back(2.0 * (tones[0] + tones[1]));
  out.push_back(2.0 * six);
  out.push_back(entropy);
  int used = 0;
  for (const int count : colours) used += count > 2e-4 * n;
  out.push_back(std::log(used + 1.0));
}

// How much one pitch recurs along the rows and the columns: tiles, dots, a screen.
double lattice(const Plane& lightness) {
  constexpr int kLongest = 24, kShortest = 3;
  const int w = lightness.width, h = lightness.height;
  if (w < 4 * kLongest || h < 8) return 0.0;
  double best = 0.0;
  std::array<double, kLongest + 1> sums{};
  double own = 1e-9;
  for (int y = 0; y < h; y += 3) {
    const float* row = lightness.row(y);
    std::vector<float> step(static_cast<std::size_t>(w - 1));
    float mean = 0.0f;
    for (int x = 0; x + 1 < w; ++x) mean += step[static_cast<std::size_t>(x)] = std::min(std::abs(row[x + 1] - row[x]), 0.12f);
    mean /= static_cast<float>(w - 1);
    for (float& value : step) value -= mean;
    const int n = w - 1 - kLongest;
    for (int lag = kShortest; lag <= kLongest; ++lag) {
      float sum = 0.0f;
      for (int x = 0; x < n; ++x) sum += step[static_cast<std::size_t>(x)] * step[static_cast<std::size_t>(x + lag)];
      sums[static_cast<std::size_t>(lag)] += sum;
    }
    for (int x = 0; x < n; ++x) own += step[static_cast<std::size_t>(x)] * step[static_cast<std::size_t>(x)];
  }
  for (int lag = kShortest + 1; lag < kLongest; ++lag) {
    const std::size_t k = static_cast<std::size_t>(lag);
    best = std::max(best, (sums[k] - 0.5 * (sums[k - 1] + sums[k + 1])) / own);
  }
  return best;
}

std::vector<std::string> make_names() {
  std::vector<std::string> names;
  for (const char* at : {"1", "2", "1_half", "2_half"})
    for (int k = 0; k < kPatterns; ++k) names.push_back("pattern_" + std::string(at) + "_" + std::to_string(k));
  for (std::size_t k = 0; k < kSteps.size(); ++k) names.push_back("alike_" + std::to_string(k));
  for (const char* n : {"run_50", "run_80", "run_95", "sharp_fine", "sharp_middle", "steep_99", "steep_50", "steep_coarse", "dark_lines_1", "ridges_1",
                        "dark_lines_2", "ridges_2", "chroma_10", "chroma_50", "chroma_90", "chroma_99", "chroma_steps", "chroma_by_light",
                        "two_tones", "six_tones", "tone_entropy", "colours_used", "lattice_across", "lattice_down"})
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
  const Plane half = resize(lightness, std::max(1, lightness.width / 2), std::max(1, lightness.height / 2));
  std::vector<double> out;
  out.reserve(hand_names().size());
  for (const Plane* plane : {&lightness, &half}) {
    const std::vector<int> tone = tones_in_steps(*plane);
    for (const int radius : {1, 2}) add_patterns(tone, plane->width, plane->height, radius, out);
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
