#include "vectorise.h"

#include "flaws.h"

#include <algorithm>
#include <cmath>

namespace sprenn {

namespace {

constexpr float kPlain = 0.015f;    // a bar's own unevenness, in OKLab
constexpr float kNeutral = 0.03f;   // the chroma that a bar may have
constexpr float kStep = 0.04f;      // the step from a bar to the picture
constexpr int kCoarseEdge = 170;    // where pictures are told from copies
constexpr double kStraight = 0.5;   // the share of its inner edge that shows it

// Line i counted from one of the four edges inwards.
class Lines {
 public:
  Lines(const Picture& picture, bool rows, bool from_end)
      : picture_(picture), rows_(rows), from_end_(from_end) {}

  int count() const { return rows_ ? picture_.height() : picture_.width(); }
  int length() const { return rows_ ? picture_.width() : picture_.height(); }
  float value(int channel, int line, int place) const {
    const int i = from_end_ ? count() - 1 - line : line;
    return rows_ ? picture_.channel[channel].at(place, i) : picture_.channel[channel].at(i, place);
  }

  bool plain_like(int line, const float colour[3]) const {
    for (int place = 0; place < length(); ++place)
      for (int c = 0; c < 3; ++c)
        if (std::abs(value(c, line, place) - colour[c]) > kPlain) return false;
    return true;
  }

  double share_that_steps(int line, const float colour[3]) const {
    int steps = 0;
    for (int place = 0; place < length(); ++place) {
      double distance = 0.0;
      for (int c = 0; c < 3; ++c) {
        const double d = value(c, line, place) - colour[c];
        distance += d * d;
      }
      steps += std::sqrt(distance) > kStep;
    }
    return static_cast<double>(steps) / length();
  }

 private:
  const Picture& picture_;
  bool rows_;
  bool from_end_;
};

double bar_depth(const Lines& lines) {
  float colour[3];
  for (int c = 0; c < 3; ++c) colour[c] = lines.value(c, 0, lines.length() / 2);
  if (std::hypot(colour[1], colour[2]) > kNeutral) return 0.0;
  int depth = 0;
  while (depth < lines.count() && lines.plain_like(depth, colour)) ++depth;
  if (depth == 0 || depth == lines.count()) return 0.0;
  // A resampled bar has a soft inner edge, so the step may come a line later.
  const int beyond = std::min(depth + 1, lines.count() - 1);
  const double step =
      std::max(lines.share_that_steps(depth, colour), lines.share_that_steps(beyond, colour));
  return step >= kStraight ? static_cast<double>(depth) / lines.count() : 0.0;
}

}  // namespace

Bars find_bars(const Picture& oklab) {
  Bars bars;
  bars.top = bar_depth(Lines(oklab, true, false));
  bars.bottom = bar_depth(Lines(oklab, true, true));
  bars.left = bar_depth(Lines(oklab, false, false));
  bars.right = bar_depth(Lines(oklab, false, true));
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
