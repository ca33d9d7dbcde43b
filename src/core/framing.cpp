#include "vectorise.h"

#include "framing.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kSide = 64;       // of the spectra
constexpr int kFieldEdge = 48;  // so that a third of the frame is left to shift into
constexpr double kPi = 3.14159265358979323846;
constexpr double kSure = 0.8;     // so much agreement leaves nothing to look for
constexpr double kGain = 0.03;    // what another framing must explain beyond standing still
constexpr double kLeast = 0.008;  // the least displacement worth the name, in long edges
// Or half of both, where so much of what standing still leaves unexplained is explained.
constexpr double kOfTheRest = 0.15;
constexpr double kFound = 0.42;     // what the contents must agree in where they were found
constexpr double kFoundFar = 0.55;  // the same where they lie farther off than kFar
constexpr double kFar = 0.1;
constexpr double kOverlap = 0.2;
constexpr double kLeastZoom = 0.45;
constexpr double kMostZoom = 2.2;

// One butterfly for all columns at once.
SPRENN_WIDE void butterfly(float* ar, float* ai, float* br, float* bi, float tr, float ti) {
  for (int x = 0; x < kSide; ++x) {
    const float r = tr * br[x] - ti * bi[x], i = tr * bi[x] + ti * br[x];
    br[x] = ar[x] - r;
    bi[x] = ai[x] - i;
    ar[x] += r;
    ai[x] += i;
  }
}

void transform_columns(Spectrum& values, bool back) {
  static const auto turns = [] {
    std::array<std::pair<float, float>, kSide> t{};
    for (int i = 0; i < kSide; ++i)
      t[static_cast<std::size_t>(i)] = {static_cast<float>(std::cos(2.0 * kPi * i / kSide)),
                                        static_cast<float>(-std::sin(2.0 * kPi * i / kSide))};
    return t;
  }();
  float *re = values.real.data(), *im = values.imaginary.data();
  for (int i = 1, j = 0; i < kSide; ++i) {
    int bit = kSide >> 1;
    for (; j & bit; bit >>= 1)
      j ^= bit;
    j ^= bit;
    if (i >= j)
      continue;
    std::swap_ranges(re + i * kSide, re + (i + 1) * kSide, re + j * kSide);
    std::swap_ranges(im + i * kSide, im + (i + 1) * kSide, im + j * kSide);
  }
  for (int length = 2; length <= kSide; length <<= 1)
    for (int start = 0; start < kSide; start += length)
      for (int k = 0; k < length / 2; ++k) {
        const auto& [c, s] = turns[static_cast<std::size_t>(k * (kSide / length))];
        const int even = (start + k) * kSide, odd = (start + k + length / 2) * kSide;
        butterfly(re + even, im + even, re + odd, im + odd, c, back ? -s : s);
      }
}

void transpose(std::vector<float>& values) {
  for (int y = 0; y < kSide; ++y)
    for (int x = y + 1; x < kSide; ++x)
      std::swap(values[static_cast<std::size_t>(y * kSide + x)],
                values[static_cast<std::size_t>(x * kSide + y)]);
}

// Both ways; what comes out lies transposed, and the way back sets that right.
void transform(Spectrum& values, bool back) {
  transform_columns(values, back);
  transpose(values.real);
  transpose(values.imaginary);
  transform_columns(values, back);
}

Field shrunk(const Field& field) {
  const Size size = with_long_edge(field.cosine.width, field.cosine.height, kFieldEdge);
  return {resize(field.cosine, size.width, size.height),
          resize(field.sine, size.width, size.height)};
}

struct Point {
  double x;
  double y;
};

Point placed(const Placement& place, double x, double y) {
  const double c = place.zoom * std::cos(place.turn), s = place.zoom * std::sin(place.turn);
  return {c * x - s * y + place.x, s * x + c * y + place.y};
}

// A pixel's middle in long edges from the frame's middle, and back.
double from_middle(int i, int n, double longest) {
  return (i + 0.5 - 0.5 * n) / longest;
}
double to_pixel(double p, int n, double longest) {
  return p * longest + 0.5 * n - 0.5;
}

// The field that a picture would have if its contents were placed so.
Field moved(const Field& field, double zoom, double turn) {
  const int w = field.cosine.width, h = field.cosine.height;
  const double longest = std::max(w, h);
  Field out{Plane(w, h), Plane(w, h)};
  const Placement back{0.0, 0.0, 1.0 / zoom, -turn};
  const float c = static_cast<float>(std::cos(2.0 * turn)),
              s = static_cast<float>(std::sin(2.0 * turn));
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const Point from = placed(back, from_middle(x, w, longest), from_middle(y, h, longest));
      const double u = to_pixel(from.x, w, longest), v = to_pixel(from.y, h, longest);
      if (u < -0.5 || v < -0.5 || u > w - 0.5 || v > h - 0.5)
        continue;
      const float cosine = sample(field.cosine, static_cast<float>(u), static_cast<float>(v));
      const float sine = sample(field.sine, static_cast<float>(u), static_cast<float>(v));
      out.cosine.at(x, y) = c * cosine - s * sine;
      out.sine.at(x, y) = s * cosine + c * sine;
    }
  return out;
}

Spectrum spectrum_of(const Field& field) {
  Spectrum out{std::vector<float>(kSide * kSide, 0.0f), std::vector<float>(kSide * kSide, 0.0f)};
  for (int y = 0; y < field.cosine.height; ++y)
    for (int x = 0; x < field.cosine.width; ++x) {
      out.real[static_cast<std::size_t>(y * kSide + x)] = field.cosine.at(x, y);
      out.imaginary[static_cast<std::size_t>(y * kSide + x)] = field.sine.at(x, y);
    }
  transform(out, false);
  return out;
}

double norm_of(const Field& field) {
  double sum = 0.0;
  for (std::size_t i = 0; i < field.cosine.size(); ++i) {
    const double c = static_cast<double>(field.cosine.values[i]),
                 s = static_cast<double>(field.sine.values[i]);
    sum += c * c + s * s;
  }
  return std::sqrt(sum);
}

// The best placement among the reference's poses and all shifts.
Placement search(const Field& take, const Sought& sought) {
  const Field small = shrunk(take);
  const double norm = norm_of(small), longest = std::max(small.cosine.width, small.cosine.height);
  const Spectrum own = spectrum_of(small);
  Placement best;
  double highest = -1.0;
  Spectrum both = own;
  for (const Sought::Pose& pose : sought.poses) {
    if (pose.norm <= 0.0)
      continue;
    const float *ar = pose.spectrum.real.data(), *ai = pose.spectrum.imaginary.data();
    const float *br = own.real.data(), *bi = own.imaginary.data();
    for (std::size_t i = 0; i < both.real.size(); ++i) {
      both.real[i] = ar[i] * br[i] + ai[i] * bi[i];
      both.imaginary[i] = ar[i] * bi[i] - ai[i] * br[i];
    }
    transform(both, true);
    for (int y = 0; y < kSide; ++y)
      for (int x = 0; x < kSide; ++x) {
        const double value =
            static_cast<double>(both.real[static_cast<std::size_t>(y * kSide + x)]) / pose.norm;
        if (value <= highest)
          continue;
        const int dx = x < kSide / 2 ? x : x - kSide, dy = y < kSide / 2 ? y : y - kSide;
        if (std::abs(dx) > small.cosine.width / 3 || std::abs(dy) > small.cosine.height / 3)
          continue;
        highest = value;
        best = {dx / longest, dy / longest, pose.zoom, pose.turn};
      }
  }
  return norm > 0.0 ? best : Placement{};
}

// The agreement at a placement, and on the way what a step of Gauss and Newton needs.
struct Fit {
  double agreement = -1.0;
  std::array<double, 4> step{};
};

// A take's field with its slopes, pixel by pixel: cosine, sine, and each one's slope
// across and down, in long edges.
struct Terrain {
  int width, height;
  std::vector<std::array<float, 8>> pixels;
};

Terrain terrain_of(const Field& field) {
  const Gradient c = gradient_of(field.cosine), s = gradient_of(field.sine);
  const float longest = static_cast<float>(std::max(field.cosine.width, field.cosine.height));
  Terrain out{field.cosine.width, field.cosine.height, {}};
  out.pixels.resize(field.cosine.size());
  for (std::size_t i = 0; i < out.pixels.size(); ++i)
    out.pixels[i] = {field.cosine.values[i],
                     field.sine.values[i],
                     longest * c.across.values[i],
                     longest * c.down.values[i],
                     longest * s.across.values[i],
                     longest * s.down.values[i],
                     0.0f,
                     0.0f};
  return out;
}

inline void blend(std::array<float, 8>& out, const Terrain& from, float u, float v) {
  const int left = std::min(static_cast<int>(u), std::max(0, from.width - 2)),
            top = std::min(static_cast<int>(v), std::max(0, from.height - 2));
  const float a = u - static_cast<float>(left), b = v - static_cast<float>(top);
  const std::size_t w = static_cast<std::size_t>(from.width),
                    at = static_cast<std::size_t>(top) * w + static_cast<std::size_t>(left);
  const std::size_t right = from.width > 1 ? 1 : 0, below = from.height > 1 ? w : 0;
  const float p = (1.0f - a) * (1.0f - b), q = a * (1.0f - b), r = (1.0f - a) * b, s = a * b;
  const auto &one = from.pixels[at], &two = from.pixels[at + right],
             &three = from.pixels[at + below], &four = from.pixels[at + below + right];
  for (std::size_t k = 0; k < 8; ++k)
    out[k] = p * one[k] + q * two[k] + r * three[k] + s * four[k];
}

bool solve(std::array<std::array<double, 5>, 4>& m, std::array<double, 4>& out) {
  for (std::size_t i = 0; i < 4; ++i) {
    std::size_t pivot = i;
    for (std::size_t j = i + 1; j < 4; ++j)
      if (std::abs(m[j][i]) > std::abs(m[pivot][i]))
        pivot = j;
    if (std::abs(m[pivot][i]) < 1e-12)
      return false;
    std::swap(m[i], m[pivot]);
    for (std::size_t j = i + 1; j < 4; ++j) {
      const double by = m[j][i] / m[i][i];
      for (std::size_t k = i; k < 5; ++k)
        m[j][k] -= by * m[i][k];
    }
  }
  for (std::size_t i = 4; i-- > 0;) {
    double sum = m[i][4];
    for (std::size_t k = i + 1; k < 4; ++k)
      sum -= m[i][k] * out[k];
    out[i] = sum / m[i][i];
  }
  return true;
}

Fit fit_at(const Terrain& take, const Field& reference, const Placement& place, bool want_step) {
  const int w = take.width, h = take.height;
  const double longest = std::max(w, h);
  const double c2 = std::cos(2.0 * place.turn), s2 = std::sin(2.0 * place.turn);
  const double c = std::cos(place.turn), s = std::sin(place.turn);
  double ab = 0.0, aa = 0.0, bb = 0.0, inside = 0.0;
  std::array<std::array<double, 4>, 4> square{};
  std::array<double, 4> with_a{}, with_b{};
  std::array<float, 8> here{};
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const double px = from_middle(x, w, longest), py = from_middle(y, h, longest);
      const Point q = placed(place, px, py);
      const double u = to_pixel(q.x, w, longest), v = to_pixel(q.y, h, longest);
      if (u < 0.0 || v < 0.0 || u > w - 1.0 || v > h - 1.0)
        continue;
      inside += 1.0;
      blend(here, take, static_cast<float>(u), static_cast<float>(v));
      const double tc = static_cast<double>(here[0]), ts = static_cast<double>(here[1]);
      const double bc = c2 * tc + s2 * ts, bs = c2 * ts - s2 * tc;
      const double ac = static_cast<double>(reference.cosine.at(x, y)),
                   as = static_cast<double>(reference.sine.at(x, y));
      ab += ac * bc + as * bs;
      aa += ac * ac + as * as;
      bb += bc * bc + bs * bs;
      if (!want_step)
        continue;
      const double cx = static_cast<double>(here[2]), cy = static_cast<double>(here[3]);
      const double sx = static_cast<double>(here[4]), sy = static_cast<double>(here[5]);
      const double zx = c * px - s * py, zy = s * px + c * py;   // by zoom
      const double rx = -place.zoom * zy, ry = place.zoom * zx;  // by turn
      const std::array<double, 4> dc = {cx, cy, cx * zx + cy * zy, cx * rx + cy * ry};
      const std::array<double, 4> ds = {sx, sy, sx * zx + sy * zy, sx * rx + sy * ry};
      std::array<double, 4> jc{}, js{};
      for (std::size_t k = 0; k < 4; ++k) {
        jc[k] = c2 * dc[k] + s2 * ds[k];
        js[k] = c2 * ds[k] - s2 * dc[k];
      }
      jc[3] += 2.0 * bs;
      js[3] -= 2.0 * bc;
      for (std::size_t i = 0; i < 4; ++i) {
        with_a[i] += jc[i] * ac + js[i] * as;
        with_b[i] += jc[i] * bc + js[i] * bs;
        for (std::size_t j = i; j < 4; ++j)
          square[i][j] += jc[i] * jc[j] + js[i] * js[j];
      }
    }
  Fit fit;
  if (inside < kOverlap * w * h || aa <= 0.0 || bb <= 0.0)
    return fit;
  fit.agreement = ab / std::sqrt(aa * bb);
  if (want_step && ab > 0.0) {
    const double gain = ab / bb;
    std::array<std::array<double, 5>, 4> m{};
    for (std::size_t i = 0; i < 4; ++i) {
      for (std::size_t j = 0; j < 4; ++j)
        m[i][j] = gain * square[std::min(i, j)][std::max(i, j)];
      m[i][i] *= 1.01;
      m[i][4] = with_a[i] - gain * with_b[i];
    }
    if (!solve(m, fit.step))
      fit.step = {};
  }
  return fit;
}

// Steps uphill from a placement until they no longer help.
Placement climb(const Terrain& take, const Field& reference, Placement place, int steps) {
  Fit here = fit_at(take, reference, place, true);
  for (int i = 0; i < steps && here.agreement > -1.0; ++i) {
    bool better = false;
    for (double by = 1.0; by > 0.2 && !better; by *= 0.5) {
      const Placement next{place.x + by * here.step[0], place.y + by * here.step[1],
                           std::clamp(place.zoom + by * here.step[2], kLeastZoom, kMostZoom),
                           place.turn + by * here.step[3]};
      const Fit there = fit_at(take, reference, next, true);
      if (there.agreement <= here.agreement)
        continue;
      better = there.agreement > here.agreement + 1e-4;
      place = next;
      here = there;
      break;
    }
    if (!better)
      break;
  }
  return place;
}

double agreement_at(const Terrain& take, const Field& reference, const Placement& place) {
  return fit_at(take, reference, place, false).agreement;
}

}  // namespace

double displacement(const Placement& place, int width, int height) {
  const double longest = std::max(width, height);
  double sum = 0.0;
  for (int i = 0; i < 9; ++i)
    for (int j = 0; j < 9; ++j) {
      const double x = (i - 4) / 8.0 * width / longest, y = (j - 4) / 8.0 * height / longest;
      const Point to = placed(place, x, y);
      sum += std::hypot(to.x - x, to.y - y);
    }
  return sum / 81.0;
}

Sought prepare_search(const std::vector<Field>& reference) {
  const Field small = shrunk(reference.back());
  Sought out;
  const auto add = [&](double zoom, double turn) {
    const Field field = moved(small, zoom, turn);
    out.poses.push_back({zoom, turn, norm_of(field), spectrum_of(field)});
  };
  for (const double zoom : {1.0, 1.08, 1.17, 1.27, 1.38, 1.5, 1.63, 1.78, 1.93, 0.92, 0.85, 0.78,
                            0.72, 0.66, 0.6, 0.55})
    add(zoom, 0.0);
  for (const double degrees : {-9.0, -6.0, -3.0, 3.0, 6.0, 9.0})
    add(1.0, degrees * kPi / 180.0);
  for (const double zoom : {1.12, 0.89})
    for (const double degrees : {-5.0, 5.0})
      add(zoom, degrees * kPi / 180.0);
  return out;
}

Framing find_framing(const std::vector<Field>& take, const std::vector<Field>& reference,
                     const Sought& sought) {
  Framing out;
  const Terrain coarse = terrain_of(take[2]), fine = terrain_of(take[1]);
  const Field &coarse_reference = reference[2], &fine_reference = reference[1];
  out.before = agreement_at(fine, fine_reference, Placement{});
  out.after = out.before;
  Placement place = climb(coarse, coarse_reference, Placement{}, 6);
  const double agreed = agreement_at(coarse, coarse_reference, place);
  if (agreed < kSure) {
    const Placement other = climb(coarse, coarse_reference, search(take.back(), sought), 8);
    if (agreement_at(coarse, coarse_reference, other) > agreed)
      place = other;
  }
  if (displacement(place, coarse.width, coarse.height) < 0.25 * kLeast)
    return out;
  place = climb(fine, fine_reference, place, 3);
  const double after = agreement_at(fine, fine_reference, place);
  const double way = displacement(place, fine.width, fine.height);
  // Far off there are many places in which two pictures may agree by chance, most of all
  // where one of them is a small part of the other.
  const bool agrees = after >= (way > kFar ? kFoundFar : kFound);
  const double gain = after - out.before;
  const bool clearly = gain > kGain && way >= kLeast;
  const bool finely =
      gain > 0.5 * kGain && gain > kOfTheRest * (1.0 - out.before) && way >= 0.5 * kLeast;
  const bool at_the_limit = place.zoom <= kLeastZoom || place.zoom >= kMostZoom;
  if (agrees && (clearly || finely) && !at_the_limit) {
    out.place = place;
    out.after = after;
    out.found = true;
  }
  return out;
}

Picture bring_back(const Picture& take, const Placement& place) {
  const int w = take.width(), h = take.height();
  const double longest = std::max(w, h);
  Picture out;
  for (Plane& plane : out.channel)
    plane = Plane(w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const Point from = placed(place, from_middle(x, w, longest), from_middle(y, h, longest));
      const float u = static_cast<float>(to_pixel(from.x, w, longest)),
                  v = static_cast<float>(to_pixel(from.y, h, longest));
      for (int c = 0; c < 3; ++c)
        out.channel[c].at(x, y) = sample(take.channel[c], u, v);
    }
  return out;
}

Plane covered_by(const Placement& place, int width, int height) {
  const double longest = std::max(width, height);
  Plane out(width, height);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const Point from =
          placed(place, from_middle(x, width, longest), from_middle(y, height, longest));
      const double u = to_pixel(from.x, width, longest), v = to_pixel(from.y, height, longest);
      out.at(x, y) = u >= 0.0 && v >= 0.0 && u <= width - 1.0 && v <= height - 1.0 ? 1.0f : 0.0f;
    }
  return out;
}

}  // namespace sprenn
