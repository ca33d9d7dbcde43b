#include "vectorise.h"

#include "flaws.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace sprenn {

namespace {

constexpr int kBarEdge = 256;          // where bars are looked for
constexpr float kStep = 0.035f;        // the step from a bar to the picture, in OKLab
constexpr double kDeepest = 0.24;      // of the height or width
constexpr double kStraight = 0.55;     // the share of a bar's inner edge that must show it
constexpr double kStepThere = 0.3;     // the share at which there is a step to speak of
constexpr double kUnmistakable = 0.8;  // a step that is so straight shows a bar whatever is in it
constexpr int kMostAlike = 2;          // so many of a bar's lines may show one: a frame has two
constexpr double kQuieter = 0.45;      // how much detail a bar may have, of what the picture has
constexpr double kLeastDetail = 0.002;
constexpr int kFurtherOut = 3, kFurtherIn = 4;  // lines beside, whose steps must be smaller
constexpr int kCoarseEdge = 170;                // where pictures are told from copies

// Detail of middle size: grain and slopes have little of it.
Plane middle_detail(const Plane& lightness) {
  Plane out = blur(lightness, 1.0f);
  const Plane wide = blur(lightness, 3.0f);
  for (std::size_t i = 0; i < out.size(); ++i)
    out.values[i] = std::abs(out.values[i] - wide.values[i]);
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
    for (int place = 0; place < length(); ++place)
      sum += static_cast<double>(at(detail_, line, place));
    return sum / std::max(1, length());
  }

  // How far a line differs from the one outside it, by places; each is averaged with the
  // next on its own side.
  std::vector<float> steps_to(int line) const {
    const int outer = line - 1, further_out = std::max(0, outer - 1),
              further_in = std::min(count() - 1, line + 1);
    std::vector<float> out(static_cast<std::size_t>(length()));
    for (int place = 0; place < length(); ++place) {
      float sum = 0.0f;
      for (const Plane& plane : picture_.channel) {
        const float outside = 0.5f * (at(plane, outer, place) + at(plane, further_out, place));
        const float inside = 0.5f * (at(plane, line, place) + at(plane, further_in, place));
        sum += (inside - outside) * (inside - outside);
      }
      out[static_cast<std::size_t>(place)] = std::sqrt(sum);
    }
    return out;
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

// How many lines apart from each other have a straight step.
int lines_with_a_step(const std::vector<double>& straight) {
  int found = 0, last = -kFurtherIn;
  for (int d = 0; d < static_cast<int>(straight.size()); ++d) {
    if (straight[static_cast<std::size_t>(d)] < kStraight || d - last < kFurtherIn)
      continue;
    ++found;
    last = d;
  }
  return found;
}

// Where a quiet strip ends in a straight step. The step must be a step of this line:
// larger than those a little further out and in.
Bar bar_at(const FromEdge& lines) {
  const int n = lines.count(), deepest = static_cast<int>(kDeepest * n);
  Bar out;
  if (n < 16)
    return out;
  std::vector<double> detail(static_cast<std::size_t>(n));
  for (int line = 0; line < n; ++line)
    detail[static_cast<std::size_t>(line)] = lines.detail_of(line);
  std::vector<double> inner(detail.begin() + n / 4,
                            detail.begin() + std::max(n / 4 + 1, 3 * n / 4));
  std::nth_element(inner.begin(), inner.begin() + static_cast<std::ptrdiff_t>(inner.size() / 2),
                   inner.end());
  const double usual = inner[inner.size() / 2] + kLeastDetail;
  std::vector<std::vector<float>> steps(1);
  for (int line = 1; line <= deepest + kFurtherIn; ++line)
    steps.push_back(lines.steps_to(line));
  const std::vector<float> none(static_cast<std::size_t>(lines.length()), 0.0f);
  std::vector<double> straight(static_cast<std::size_t>(deepest + 1), 0.0);
  for (int d = 1; d <= deepest; ++d) {
    const std::vector<float>& here = steps[static_cast<std::size_t>(d)];
    const std::vector<float>& further_out =
        d > kFurtherIn ? steps[static_cast<std::size_t>(d - kFurtherOut)] : none;
    const std::vector<float>& further_in = steps[static_cast<std::size_t>(d + kFurtherIn)];
    int stepped = 0;
    for (std::size_t place = 0; place < here.size(); ++place)
      stepped += here[place] > kStep &&
                 here[place] > 1.5f * std::max(further_out[place], further_in[place]);
    straight[static_cast<std::size_t>(d)] = static_cast<double>(stepped) / lines.length();
    if (straight[static_cast<std::size_t>(d)] >= kStepThere)
      out.steps.push_back(static_cast<double>(d) / n);
  }
  const bool in_rows = lines_with_a_step(straight) > kMostAlike;
  double best = 0.0, sum = 0.0;
  for (int d = 1; d <= deepest; ++d) {
    // The lines next to the step have of its detail.
    if (d >= 4)
      sum += detail[static_cast<std::size_t>(d - 4)];
    const double outside = d >= 4 ? sum / (d - 3) : 0.0;
    const double quiet = 1.0 - outside / (kQuieter * usual);
    // Tiles, squares and dots have such steps in rows, and of so few lines nobody can say that
    // they are quiet.
    if (in_rows && (quiet <= 0.0 || d < kFurtherIn))
      continue;
    const double own = straight[static_cast<std::size_t>(d)];
    const double found = own * std::sqrt(std::max(quiet, 0.1));
    if (own >= (quiet > 0.0 ? kStraight : kUnmistakable) && found > best) {
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
  const float *al = a.channel[0].values.data(), *aa = a.channel[1].values.data(),
              *ab = a.channel[2].values.data();
  const float *bl = b.channel[0].values.data(), *ba = b.channel[1].values.data(),
              *bb = b.channel[2].values.data();
  SPRENN_APART
  for (std::size_t i = 0; i < n; ++i)
    out[i] = std::sqrt((al[i] - bl[i]) * (al[i] - bl[i]) + (aa[i] - ba[i]) * (aa[i] - ba[i]) +
                       (ab[i] - bb[i]) * (ab[i] - bb[i]));
}

}  // namespace

double mean_difference(const Picture& a, const Picture& b) {
  Plane apart = Plane::unset(a.width(), a.height());
  distances(apart.values.data(), a, b, apart.size());
  return mean_of(apart);
}

}  // namespace sprenn
