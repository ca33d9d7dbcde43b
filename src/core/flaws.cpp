#include "vectorise.h"

#include "flaws.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace sprenn {

namespace {

constexpr int kBarEdge = 256;        // where bars are looked for
constexpr float kStep = 0.035f;      // the step from a bar to the picture, in OKLab
constexpr double kDeepest = 0.24;    // of the height or width
constexpr double kStraight = 0.55;   // the share of a bar's inner edge that must show it
constexpr double kStepThere = 0.3;   // the share at which there is a step to speak of
constexpr double kUnmistakable = 0.8;  // a step that is so straight shows a bar whatever is in it
constexpr double kQuieter = 0.45;    // how much detail a bar may have, of what the picture has
constexpr double kLeastDetail = 0.002;
constexpr int kCoarseEdge = 170;     // where pictures are told from copies

// Detail of middle size: grain and slopes have little of it.
Plane middle_detail(const Plane& lightness) {
  Plane out = blur(lightness, 1.0f);
  const Plane wide = blur(lightness, 3.0f);
  for (std::size_t i = 0; i < out.size(); ++i) out.values[i] = std::abs(out.values[i] - wide.values[i]);
  return out;
}

// A picture seen from one of its edges: line 0 is the outermost.
class FromEdge {
 public:
  FromEdge(const Picture& picture, const Plane& detail, bool rows, bool from_end)
      : picture_(picture), detail_(detail), rows_(rows), from_end_(from_end) {}

  int count() const { return rows_ ? detail_.height : detail_.width; }
  int length() const { return rows_ ? detail_.width : detail_.height; }

  double detail_of(int line) const {
    double sum = 0.0;
    for (int place = 0; place < length(); ++place) sum += static_cast<double>(at(detail_, line, place));
    return sum / std::max(1, length());
  }

  // How far two lines differ at a place, each with its outer or inner neighbour.
  float step(int outer, int inner, int place) const {
    float sum = 0.0f;
    for (const Plane& plane : picture_.channel) {
      const float out = 0.5f * (at(plane, outer, place) + at(plane, std::max(0, outer - 1), place));
      const float in = 0.5f * (at(plane, inner, place) + at(plane, std::min(count() - 1, inner + 1), place));
      sum += (in - out) * (in - out);
    }
    return std::sqrt(sum);
  }

 private:
  float at(const Plane& plane, int line, int place) const {
    const int i = from_end_ ? count() - 1 - line : line;
    return rows_ ? plane.at(place, i) : plane.at(i, place);
  }
  const Picture& picture_;
  const Plane& detail_;
  bool rows_;
  bool from_end_;
};

// Where a quiet strip ends in a straight step. The step must be a step of this line:
// larger than those a little further out and in.
Bar bar_at(const FromEdge& lines) {
  const int n = lines.count(), deepest = static_cast<int>(kDeepest * n);
  Bar out;
  if (n < 16) return out;
  std::vector<double> detail(static_cast<std::size_t>(n));
  for (int line = 0; line < n; ++line) detail[static_cast<std::size_t>(line)] = lines.detail_of(line);
  std::vector<double> inner(detail.begin() + n / 4, detail.begin() + std::max(n / 4 + 1, 3 * n / 4));
  std::nth_element(inner.begin(), inner.begin() + static_cast<std::ptrdiff_t>(inner.size() / 2), inner.end());
  const double usual = inner[inner.size() / 2] + kLeastDetail;
  double best = 0.0, sum = 0.0;
  for (int d = 1; d <= deepest; ++d) {
    // The lines next to the step have of its detail.
    if (d >= 4) sum += detail[static_cast<std::size_t>(d - 4)];
    const double outside = d >= 4 ? sum / (d - 3) : 0.0;
    const double quiet = 1.0 - outside / (kQuieter * usual);
    int steps = 0;
    for (int place = 0; place < lines.length(); ++place) {
      const float here = lines.step(d - 1, d, place);
      const float beside = std::max(d >= 5 ? lines.step(d - 4, d - 3, place) : 0.0f, lines.step(d + 3, d + 4, place));
      steps += here > kStep && here > 1.5f * beside;
    }
    const double straight = static_cast<double>(steps) / lines.length();
    if (straight >= kStepThere) out.steps.push_back(static_cast<double>(d) / n);
    const double found = straight * std::sqrt(std::max(quiet, 0.1));
    if (straight >= (quiet > 0.0 ? kStraight : kUnmistakable) && found > best) {
      best = found;
      out.depth = static_cast<double>(d) / n;
    }
  }
  return out;
}

}  // namespace

Bars find_bars(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kBarEdge);
  const Picture small = resize(oklab, size.width, size.height);
  const Plane detail = middle_detail(small.channel[0]);
  Bars bars;
  bars.top = bar_at(FromEdge(small, detail, true, false));
  bars.bottom = bar_at(FromEdge(small, detail, true, true));
  bars.left = bar_at(FromEdge(small, detail, false, false));
  bars.right = bar_at(FromEdge(small, detail, false, true));
  return bars;
}

double colour_spread(const Picture& oklab) {
  double sum = 0.0;
  for (const Plane& plane : oklab.channel) {
    const double spread = spread_of(plane);
    sum += spread * spread;
  }
  return std::sqrt(sum);
}

Picture coarse_copy(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kCoarseEdge);
  return resize(oklab, size.width, size.height);
}

namespace {

SPRENN_WIDE void distances(float* out, const Picture& a, const Picture& b, std::size_t n) {
  const float *al = a.channel[0].values.data(), *aa = a.channel[1].values.data(), *ab = a.channel[2].values.data();
  const float *bl = b.channel[0].values.data(), *ba = b.channel[1].values.data(), *bb = b.channel[2].values.data();
  SPRENN_APART
  for (std::size_t i = 0; i < n; ++i)
    out[i] = std::sqrt((al[i] - bl[i]) * (al[i] - bl[i]) + (aa[i] - ba[i]) * (aa[i] - ba[i]) + (ab[i] - bb[i]) * (ab[i] - bb[i]));
}

}  // namespace

double mean_difference(const Picture& a, const Picture& b) {
  Plane apart = Plane::unset(a.width(), a.height());
  distances(apart.values.data(), a, b, apart.size());
  return mean_of(apart);
}

}  // namespace sprenn
