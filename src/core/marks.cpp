#include "vectorise.h"

#include "marks.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr float kMark = 0.05f;  // in OKLab lightness
constexpr float kScratch = 0.08f;
constexpr float kStandOut = 5.0f;  // how far above the marks around a scratch is
constexpr float kStayed = 0.35f;   // of its height: less than this is gone
constexpr int kBeside = 6;         // where beside an outline chance is taken
constexpr float kInside = 0.02f;   // a mask below this keeps the picture

float difference(const Picture& a, const Picture& b, std::size_t i) {
  float sum = 0.0f;
  for (int c = 0; c < 3; ++c) {
    const float d = a.channel[c].values[i] - b.channel[c].values[i];
    sum += d * d;
  }
  return std::sqrt(sum);
}

}  // namespace

Plane thin_marks(const Plane& lightness, int side) {
  const int aslant = std::max(1, (2 * side + 1) / 3);
  const int ways[4][2] = {{side, 0}, {0, side}, {aslant, aslant}, {aslant, -aslant}};
  const int w = lightness.width, h = lightness.height;
  Plane out(w, h);
  for (const auto& way : ways) {
    const int dx = way[0], dy = way[1], rim = std::abs(dy);
    for (int y = rim; y + rim < h; ++y) {
      const float *own = lightness.row(y), *before = lightness.row(y - dy) - dx,
                  *after = lightness.row(y + dy) + dx;
      float* to = out.row(y);
      for (int x = dx; x + dx < w; ++x) {
        const float lighter = own[x] - std::max(before[x], after[x]),
                    darker = std::min(before[x], after[x]) - own[x];
        const float found = lighter > darker ? std::max(lighter, 0.0f) : -std::max(darker, 0.0f);
        to[x] = std::abs(found) > std::abs(to[x]) ? found : to[x];
      }
    }
  }
  return out;
}

Residue residual_marks(const Plane& take, const Plane& reference) {
  const int w = reference.width, h = reference.height;
  Plane strength(w, h);
  for (std::size_t i = 0; i < strength.size(); ++i)
    strength.values[i] = std::abs(reference.values[i]);
  const Plane around = blur_wide(strength, 12.0f);
  Residue out;
  out.map = Plane(w, h);
  double marked = 0.0, total = 0.0;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float mark = reference.at(x, y);
      if (std::abs(mark) < kScratch || std::abs(mark) < kStandOut * std::max(around.at(x, y), 0.0f))
        continue;
      // A take may have moved it by a pixel, and it must still be light or dark.
      float left = 0.0f;
      for (int v = std::max(0, y - 1); v <= std::min(h - 1, y + 1); ++v)
        for (int u = std::max(0, x - 1); u <= std::min(w - 1, x + 1); ++u)
          left = std::max(left, mark > 0.0f ? take.at(u, v) : -take.at(u, v));
      const float stayed = std::min(1.0f, left / std::abs(mark));
      out.map.at(x, y) = stayed;
      total += stayed > kStayed ? 1.0 : 0.0;
      marked += 1.0;
    }
  out.damage = marked / static_cast<double>(strength.size());
  out.share = marked > 0.0 ? total / marked : 0.0;
  return out;
}

namespace {

constexpr int kBroadest = 9;         // how broad a mark may be
constexpr float kClearMark = 0.07f;  // in OKLab lightness

// The least or the largest within a square of kBroadest.
template <typename Choose>
Plane within_square(const Plane& plane, const Choose& choose) {
  constexpr int kReach = kBroadest / 2;
  Plane across = plane, out = plane;
  for (int y = 0; y < plane.height; ++y)
    for (int x = 0; x < plane.width; ++x)
      for (int u = std::max(0, x - kReach); u <= std::min(plane.width - 1, x + kReach); ++u)
        across.at(x, y) = choose(across.at(x, y), plane.at(u, y));
  out = across;
  for (int y = 0; y < plane.height; ++y)
    for (int v = std::max(0, y - kReach); v <= std::min(plane.height - 1, y + kReach); ++v) {
      float* to = out.row(y);
      const float* from = across.row(v);
      for (int x = 0; x < plane.width; ++x)
        to[x] = choose(to[x], from[x]);
    }
  return out;
}

// How far a picture stands out, lighter or darker, from what is left without narrow marks.
Plane narrow_marks(const Plane& lightness) {
  const auto least = [](float a, float b) { return std::min(a, b); };
  const auto most = [](float a, float b) { return std::max(a, b); };
  const Plane opened = within_square(within_square(lightness, least), most);
  const Plane closed = within_square(within_square(lightness, most), least);
  Plane out = Plane::unset(lightness.width, lightness.height);
  for (std::size_t i = 0; i < out.size(); ++i)
    out.values[i] =
        std::max(lightness.values[i] - opened.values[i], closed.values[i] - lightness.values[i]);
  return out;
}

}  // namespace

std::vector<bool> marks_that_stayed(const Plane& take, const Plane& reference) {
  const Plane before = narrow_marks(reference), after = narrow_marks(take);
  std::vector<bool> out;
  for (std::size_t i = 0; i < before.size(); ++i)
    if (before.values[i] > kClearMark)
      out.push_back(after.values[i] > 0.5f * before.values[i]);
  return out;
}

std::vector<int> places_of_marks(const Plane& reference) {
  const Plane marks = narrow_marks(reference);
  std::vector<int> out;
  for (std::size_t i = 0; i < marks.size(); ++i)
    if (marks.values[i] > kClearMark)
      out.push_back(static_cast<int>(i));
  return out;
}

double marked_share(const Plane& marks, const Plane& outlines) {
  const int w = marks.width, h = marks.height;
  const Plane lines = resize(outlines, w, h);
  // Lighter and darker lines apart: a guide shows as one of the two.
  struct Found {
    double lighter = 0.0, darker = 0.0, n = 0.0;
    void add(const Plane& marks, int x, int y) {
      float most = 0.0f, least = 0.0f;
      for (int v = std::max(0, y - 1); v <= std::min(marks.height - 1, y + 1); ++v)
        for (int u = std::max(0, x - 1); u <= std::min(marks.width - 1, x + 1); ++u) {
          most = std::max(most, marks.at(u, v));
          least = std::min(least, marks.at(u, v));
        }
      lighter += most > kMark ? 1.0 : 0.0;
      darker += least < -kMark ? 1.0 : 0.0;
      n += 1.0;
    }
  };
  Found on, beside;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      if (lines.at(x, y) < 0.3f)
        continue;
      on.add(marks, x, y);
      for (const auto& [dx, dy] :
           {std::pair<int, int>{kBeside, 0}, {-kBeside, 0}, {0, kBeside}, {0, -kBeside}}) {
        const int u = x + dx, v = y + dy;
        if (u >= 0 && v >= 0 && u < w && v < h && lines.at(u, v) < 0.1f)
          beside.add(marks, u, v);
      }
    }
  if (on.n < 20.0 || beside.n < 20.0)
    return 0.0;
  const double lighter = std::max(0.0, on.lighter / on.n - beside.lighter / beside.n);
  const double darker = std::max(0.0, on.darker / on.n - beside.darker / beside.n);
  return std::abs(lighter - darker);
}

double line_share(const Plane& marks) {
  const auto lines = std::count_if(marks.values.begin(), marks.values.end(),
                                   [](float mark) { return std::abs(mark) > kMark; });
  return static_cast<double>(lines) / static_cast<double>(std::max<std::size_t>(1, marks.size()));
}

Leak leak_outside(const Picture& take, const Picture& reference, const Plane& mask) {
  const int w = take.width(), h = take.height();
  const Plane kept = resize(mask, w, h);
  Leak out;
  out.map = Plane(w, h);
  Picture smooth_take, smooth_reference;
  for (int c = 0; c < 3; ++c) {
    smooth_take.channel[c] = blur(take.channel[c], 1.5f);
    smooth_reference.channel[c] = blur(reference.channel[c], 1.5f);
  }
  double sum = 0.0, n = 0.0;
  for (std::size_t i = 0; i < kept.size(); ++i) {
    if (kept.values[i] > kInside)
      continue;
    out.map.values[i] = difference(smooth_take, smooth_reference, i);
    sum += static_cast<double>(out.map.values[i]);
    n += 1.0;
  }
  out.difference = n > 0.0 ? sum / n : 0.0;
  return out;
}

}  // namespace sprenn
