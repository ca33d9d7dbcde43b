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

// The field that a picture would have if its contents were placed so.
Field moved(const Field& field, double zoom, double turn) {
  const int w = field.cosine.width, h = field.cosine.height;
  const double longest = std::max(w, h);
  Field out{Plane(w, h), Plane(w, h)};
  const Placer placed({0.0, 0.0, 1.0 / zoom, -turn});
  const float c = static_cast<float>(std::cos(2.0 * turn)),
              s = static_cast<float>(std::sin(2.0 * turn));
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const Point from = placed(from_middle(x, w, longest), from_middle(y, h, longest));
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

}  // namespace

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
  const Placer placed(place);
  Picture out;
  for (Plane& plane : out.channel)
    plane = Plane::unset(w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const Point from = placed(from_middle(x, w, longest), from_middle(y, h, longest));
      const Sampler between(w, h, static_cast<float>(to_pixel(from.x, w, longest)),
                            static_cast<float>(to_pixel(from.y, h, longest)));
      for (int c = 0; c < 3; ++c)
        out.channel[c].at(x, y) = between.of(take.channel[c]);
    }
  return out;
}

Plane covered_by(const Placement& place, int width, int height) {
  const double longest = std::max(width, height);
  const Placer placed(place);
  Plane out(width, height);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const Point from = placed(from_middle(x, width, longest), from_middle(y, height, longest));
      const double u = to_pixel(from.x, width, longest), v = to_pixel(from.y, height, longest);
      out.at(x, y) = u >= 0.0 && v >= 0.0 && u <= width - 1.0 && v <= height - 1.0 ? 1.0f : 0.0f;
    }
  return out;
}

}  // namespace sprenn
