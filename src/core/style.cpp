#include "vectorise.h"

#include "style.h"

#include "hand.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kLongEdge = 256;
constexpr int kBands = 4;
constexpr int kHues = 8;
constexpr double kTiny = 1e-9;
constexpr double kPi = 3.14159265358979323846;

std::vector<std::string> make_names() {
  std::vector<std::string> names;
  for (const char* q : {"05", "25", "50", "75", "95"})
    names.push_back(std::string("tone_") + q);
  for (const char* q : {"25", "50", "75", "95"})
    names.push_back(std::string("chroma_") + q);
  for (const char* n :
       {"mean_a", "mean_b", "spread_a", "spread_b", "tone_with_a", "tone_with_b", "a_with_b"})
    names.push_back(n);
  for (int k = 0; k < kHues; ++k)
    names.push_back("hue_" + std::to_string(k));
  names.push_back("colours");
  names.push_back("tones");
  for (int k = 0; k < kBands; ++k) {
    const std::string band = std::to_string(k);
    for (const char* n : {"energy_", "sparse_", "skew_", "uneven_", "directed_", "square_"})
      names.push_back(n + band);
    if (k > 0)
      names.push_back("linked_" + band);
  }
  for (const char* n : {"chroma_energy_1", "chroma_energy_2", "lines", "flat", "grain"})
    names.push_back(n);
  names.insert(names.end(), hand_names().begin(), hand_names().end());
  return names;
}

// Quantiles of many values on [0, high], to a two-thousandth of it.
class Quantiles {
 public:
  explicit Quantiles(double high) : high_(high), scale_(static_cast<float>((kCells - 1) / high)) {}
  void add(float value) {
    ++counts_[static_cast<std::size_t>(std::min(std::max(value * scale_, 0.0f), kCells - 1.0f))];
    ++total_;
  }
  double at(double p) const {
    double below = 0.0;
    for (std::size_t i = 0; i < kCells; ++i) {
      below += counts_[i];
      if (below >= p * total_)
        return static_cast<double>(i) / (kCells - 1) * high_;
    }
    return high_;
  }

 private:
  static constexpr std::size_t kCells = 2048;
  double high_;
  float scale_;
  int total_ = 0;
  std::array<int, kCells> counts_{};
};

double correlation(const Plane& a, const Plane& b) {
  // The floor keeps the correlation of two all but constant planes near zero.
  return covariance_of(a, b) /
         std::sqrt((covariance_of(a, a) + 1e-5) * (covariance_of(b, b) + 1e-5));
}

double entropy(const std::vector<double>& counts) {
  double total = kTiny, sum = 0.0;
  for (double count : counts)
    total += count;
  for (double count : counts)
    if (count > 0.0)
      sum -= count / total * std::log(count / total);
  return sum;
}

// Shares a value out between the two nearest of `n` cells on [low, high].
struct Soft {
  int cell;
  double upper;
};
Soft soft_cell(double value, double low, double high, int n) {
  const double place = std::clamp((value - low) / (high - low), 0.0, 1.0) * (n - 1);
  const int cell = std::min(static_cast<int>(place), n - 2);
  return {cell, place - cell};
}

void add_palette(const Picture& lab, std::vector<double>& out) {
  const Plane &L = lab.channel[0], &a = lab.channel[1], &b = lab.channel[2];
  Quantiles tone(1.0), chroma(0.4);
  std::array<double, kHues> hues{};
  constexpr int kL = 8, kAB = 7;
  std::vector<double> colours(kL * kAB * kAB, 0.0), tones(24, 0.0);
  double coloured = 0.0;
  // Every other pixel of every other row says as much.
  for (int y = 0; y < L.height; y += 2) {
    for (int x = 0; x < L.width; x += 2) {
      const std::size_t i = static_cast<std::size_t>(y) * static_cast<std::size_t>(L.width) +
                            static_cast<std::size_t>(x);
      const double av = a.values[i], bv = b.values[i];
      const double c = std::sqrt(av * av + bv * bv);
      tone.add(L.values[i]);
      chroma.add(static_cast<float>(c));
      // Where hue says nothing its angle isn't worth working out.
      if (c > 0.004) {
        const double turn = (std::atan2(bv, av) / (2.0 * kPi) + 1.0) * kHues;
        const int lower = static_cast<int>(turn);
        hues[static_cast<std::size_t>(lower % kHues)] += c * (1.0 - (turn - lower));
        hues[static_cast<std::size_t>((lower + 1) % kHues)] += c * (turn - lower);
      }
      coloured += c;
      const auto cell = [](double value, double low, double high, int n) {
        return static_cast<int>(std::clamp((value - low) / (high - low), 0.0, 0.9999) * n);
      };
      colours[static_cast<std::size_t>(
          (cell(L.values[i], 0.0, 1.0, kL) * kAB + cell(av, -0.28, 0.28, kAB)) * kAB +
          cell(bv, -0.28, 0.28, kAB))] += 1.0;
      const Soft st = soft_cell(L.values[i], 0.0, 1.0, 24);
      tones[static_cast<std::size_t>(st.cell)] += 1.0 - st.upper;
      tones[static_cast<std::size_t>(st.cell + 1)] += st.upper;
    }
  }
  for (double p : {0.05, 0.25, 0.5, 0.75, 0.95})
    out.push_back(tone.at(p));
  for (double p : {0.25, 0.5, 0.75, 0.95})
    out.push_back(chroma.at(p));
  out.insert(out.end(), {mean_of(a), mean_of(b), spread_of(a), spread_of(b), correlation(L, a),
                         correlation(L, b), correlation(a, b)});
  // Hue says little where there is hardly any colour, hence the floor.
  const double floor = 0.005 * static_cast<double>(L.size());
  for (double hue : hues)
    out.push_back(hue / (coloured + floor));
  out.push_back(entropy(colours));
  out.push_back(entropy(tones));
}

void add_texture(const Picture& lab, std::vector<double>& out) {
  Plane level = lab.channel[0];
  Plane before;
  for (int k = 0; k < kBands; ++k) {
    const Plane lower = blur(level, 1.0f);
    Plane band = Plane::unset(level.width, level.height),
          strength = Plane::unset(level.width, level.height);
    double second = 0.0, third = 0.0, size = 0.0;
    for (std::size_t i = 0; i < band.size(); ++i) {
      const double v = level.values[i] - lower.values[i];
      band.values[i] = static_cast<float>(v);
      strength.values[i] = static_cast<float>(std::abs(v));
      second += v * v;
      third += v * v * v;
      size += std::abs(v);
    }
    const double n = static_cast<double>(band.size());
    const double deviation = std::sqrt(second / n) + 1e-4;
    const Plane local = blur_wide(strength, 6.0f);
    const Gradient g = gradient_of(band);
    const Plane steep = length_of(g);
    double cos2 = 0.0, sin2 = 0.0, cos4 = 0.0, sin4 = 0.0, total = kTiny;
    for (std::size_t i = 0; i < band.size(); ++i) {
      const double energy = steep.values[i];
      if (energy < kTiny)
        continue;
      // Cosines and sines of twice and four times the gradient's angle.
      const double cx = g.across.values[i] / energy, cy = g.down.values[i] / energy;
      const double twice_cos = cx * cx - cy * cy, twice_sin = 2.0 * cx * cy;
      cos2 += energy * twice_cos;
      sin2 += energy * twice_sin;
      cos4 += energy * (twice_cos * twice_cos - twice_sin * twice_sin);
      sin4 += energy * 2.0 * twice_cos * twice_sin;
      total += energy;
    }
    out.insert(out.end(), {std::log(deviation), size / n / deviation,
                           std::clamp(third / n / (deviation * deviation * deviation), -3.0, 3.0),
                           spread_of(local) / (mean_of(local) + 1e-4),
                           std::hypot(cos2, sin2) / total, std::hypot(cos4, sin4) / total});
    if (k > 0)
      out.push_back(correlation(before, strength));
    const int half_width = std::max(1, level.width / 2);
    const int half_height = std::max(1, level.height / 2);
    before = resize(strength, half_width, half_height);
    level = resize(lower, half_width, half_height);
  }
}

SPRENN_WIDE void differences(float* out, const float* a, const float* b, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i)
    out[i] = a[i] - b[i];
}

SPRENN_WIDE void count_steps(const float* steep, std::size_t n, int* lines, int* flat) {
  int above = 0, below = 0;
  for (std::size_t i = 0; i < n; ++i) {
    above += steep[i] > 0.03f;
    below += steep[i] < 0.003f;
  }
  *lines = above;
  *flat = below;
}

// What a blur takes away.
Plane rest_of(const Plane& fine, float sigma) {
  Plane rest = blur(fine, sigma);
  differences(rest.values.data(), fine.values.data(), rest.values.data(), rest.size());
  return rest;
}

void add_line(const Picture& lab, std::vector<double>& out) {
  for (float sigma : {0.7f, 2.8f}) {
    double energy = 0.0;
    for (int c = 1; c < 3; ++c) {
      const Plane rest =
          rest_of(sigma < 1.0f ? lab.channel[c] : blur(lab.channel[c], 0.5f * sigma), sigma);
      energy += sum_of_products(rest.values.data(), rest.values.data(), 0.0, 0.0, rest.size());
    }
    out.push_back(std::log(std::sqrt(energy / static_cast<double>(lab.channel[0].size())) + 1e-4));
  }
  const Plane steep = length_of(gradient_of(blur(lab.channel[0], 1.0f)));
  int lines = 0, flat = 0;
  count_steps(steep.values.data(), steep.size(), &lines, &flat);
  const double n = static_cast<double>(steep.size());
  out.push_back(lines / n);
  out.push_back(flat / n);
  // Grain: the median of what a small blur takes away, so that contours, which
  // are few, don't count.
  const Plane grain = rest_of(lab.channel[0], 0.7f);
  Quantiles rest(0.2);
  for (const float value : grain.values)
    rest.add(std::fabs(value));
  out.push_back(std::log(rest.at(0.5) + 1e-3));
}

}  // namespace

const std::vector<std::string>& style_names() {
  static const std::vector<std::string> names = make_names();
  return names;
}

std::vector<double> style_vector(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kLongEdge);
  const Picture lab = resize(oklab, size.width, size.height);
  std::vector<double> out;
  out.reserve(style_names().size());
  add_palette(lab, out);
  add_texture(lab, out);
  add_line(lab, out);
  const std::vector<double> hand = hand_numbers(oklab);
  out.insert(out.end(), hand.begin(), hand.end());
  return out;
}

}  // namespace sprenn
