#include "vectorise.h"

#include "placing.h"

#include <algorithm>
#include <array>

namespace sprenn {

namespace {

constexpr double kOverlap = 0.2;  // the least share of the frame that a take must cover

// The agreement at a placement, and on the way what a step of Gauss and Newton needs.
struct Fit {
  double agreement = -1.0;
  std::array<double, 4> step{};
};

// What a fit needs of one row, for the pixels whose counterpart lies inside the take, a value a
// pixel: where they lie across, the reference's field, the take's (later turned), its four slopes,
// and how the take's field changes by each part of a placement.
class FitRow {
 public:
  FitRow(const Terrain& take, const Field& reference) : take_(take), reference_(reference) {
    const std::size_t w = static_cast<std::size_t>(take.width);
    middle_.resize(w);
    for (int x = 0; x < take.width; ++x)
      middle_[static_cast<std::size_t>(x)] =
          from_middle(x, take.width, std::max(take.width, take.height));
    for (auto* places : {&u_, &v_})
      places->resize(w);
    for (auto* weights : {&across_, &down_})
      weights->resize(w);
    at_.resize(w);
    blended_.resize(kTerrain * w);
    room_.resize(15 * w);
    float* next = room_.data();
    const auto take_room = [&] {
      float* const part = next;
      next += w;
      return part;
    };
    x = take_room();
    bc = take_room();
    bs = take_room();
    for (auto* parts : {&slope, &jc, &js})
      for (float*& part : *parts)
        part = take_room();
  }
  FitRow(const FitRow&) = delete;
  FitRow& operator=(const FitRow&) = delete;

  void fill(const Placer& placed, int y);

  int n = 0;
  const float *ac = nullptr, *as = nullptr;
  float *x, *bc, *bs;
  std::array<float*, 4> slope, jc, js;

 private:
  const Terrain& take_;
  const Field& reference_;
  std::vector<double> middle_, u_, v_;
  std::vector<int> at_;
  std::vector<float> across_, down_, blended_, room_;
};

// Where the pixels of a row lie in a take of that size.
SPRENN_WIDE void place_row(double* u, double* v, const double* x, double y, const Placer& placed,
                           int w, int h) {
  const double longest = std::max(w, h);
  SPRENN_APART
  for (int i = 0; i < w; ++i) {
    const Point to = placed(x[i], y);
    u[i] = to_pixel(to.x, w, longest);
    v[i] = to_pixel(to.y, h, longest);
  }
}

// The first of the four pixels around each place, and how far on from it the place is.
SPRENN_WIDE void cells_of_places(int* at, float* across, float* down, const double* u,
                                 const double* v, int w, int h, int n) {
  const int last_left = std::max(0, w - 2), last_top = std::max(0, h - 2);
  SPRENN_APART
  for (int i = 0; i < n; ++i) {
    const float x = static_cast<float>(u[i]), y = static_cast<float>(v[i]);
    const int left = std::min(static_cast<int>(x), last_left),
              top = std::min(static_cast<int>(y), last_top);
    at[i] = top * w + left;
    across[i] = x - static_cast<float>(left);
    down[i] = y - static_cast<float>(top);
  }
}

// Between pixels by the four around, all numbers of a pixel at once.
SPRENN_WIDE void blend_places(float* __restrict out, const float* __restrict pixels, const int* at,
                              const float* across, const float* down, std::ptrdiff_t right,
                              std::ptrdiff_t below, int n) {
  for (int i = 0; i < n; ++i) {
    const float a = across[i], b = down[i];
    const float p = (1.0f - a) * (1.0f - b), q = a * (1.0f - b), r = (1.0f - a) * b, s = a * b;
    const float* one = pixels + static_cast<std::ptrdiff_t>(kTerrain) * at[i];
    const float *two = one + right, *three = one + below, *four = three + right;
    for (std::size_t k = 0; k < kTerrain; ++k)
      out[k] = p * one[k] + q * two[k] + r * three[k] + s * four[k];
    out += kTerrain;
  }
}

void FitRow::fill(const Placer& placed, int y) {
  const int w = take_.width, h = take_.height;
  place_row(u_.data(), v_.data(), middle_.data(), from_middle(y, h, std::max(w, h)), placed, w, h);
  const auto is_inside = [&](int i) {
    const double u = u_[static_cast<std::size_t>(i)], v = v_[static_cast<std::size_t>(i)];
    return u >= 0.0 && v >= 0.0 && u <= w - 1.0 && v <= h - 1.0;
  };
  // A row stays straight, so that what lies inside is in one piece.
  int first = 0, end = w;
  while (first < end && !is_inside(first))
    ++first;
  while (end > first && !is_inside(end - 1))
    --end;
  n = end - first;
  if (n == 0)
    return;
  ac = reference_.cosine.row(y) + first;
  as = reference_.sine.row(y) + first;
  cells_of_places(at_.data(), across_.data(), down_.data(), u_.data() + first, v_.data() + first, w,
                  h, n);
  const std::ptrdiff_t pixel = static_cast<std::ptrdiff_t>(kTerrain);
  blend_places(blended_.data(), take_.pixels.data(), at_.data(), across_.data(), down_.data(),
               w > 1 ? pixel : 0, h > 1 ? pixel * w : 0, n);
  const float* from = blended_.data();
  for (int i = 0; i < n; ++i, from += kTerrain) {
    x[i] = static_cast<float>(middle_[static_cast<std::size_t>(first + i)]);
    bc[i] = from[0];
    bs[i] = from[1];
    for (std::size_t k = 0; k < slope.size(); ++k)
      slope[k][i] = from[k + 2];
  }
}

// In place: a row's field as it would be turned.
SPRENN_WIDE void turn_row(float* bc, float* bs, float c2, float s2, int n) {
  for (int i = 0; i < n; ++i) {
    const float c = bc[i], s = bs[i];
    bc[i] = c2 * c + s2 * s;
    bs[i] = c2 * s - s2 * c;
  }
}

// How the turned field changes by x, y, zoom and turn.
SPRENN_WIDE void changes_of_row(const std::array<float*, 4>& jc, const std::array<float*, 4>& js,
                                const std::array<float*, 4>& slope, const float* x, const float* bc,
                                const float* bs, const Placement& place, float py, int n) {
  const float c = static_cast<float>(std::cos(place.turn)),
              s = static_cast<float>(std::sin(place.turn));
  const float c2 = static_cast<float>(std::cos(2.0 * place.turn)),
              s2 = static_cast<float>(std::sin(2.0 * place.turn));
  const float zoom = static_cast<float>(place.zoom);
  const float *cx = slope[0], *cy = slope[1], *sx = slope[2], *sy = slope[3];
  float *jc0 = jc[0], *jc1 = jc[1], *jc2 = jc[2], *jc3 = jc[3];
  float *js0 = js[0], *js1 = js[1], *js2 = js[2], *js3 = js[3];
  SPRENN_APART
  for (int i = 0; i < n; ++i) {
    const float zx = c * x[i] - s * py, zy = s * x[i] + c * py;  // by zoom
    const float rx = -zoom * zy, ry = zoom * zx;                 // by turn
    const float cz = cx[i] * zx + cy[i] * zy, sz = sx[i] * zx + sy[i] * zy;
    const float cr = cx[i] * rx + cy[i] * ry, sr = sx[i] * rx + sy[i] * ry;
    jc0[i] = c2 * cx[i] + s2 * sx[i];
    js0[i] = c2 * sx[i] - s2 * cx[i];
    jc1[i] = c2 * cy[i] + s2 * sy[i];
    js1[i] = c2 * sy[i] - s2 * cy[i];
    jc2[i] = c2 * cz + s2 * sz;
    js2[i] = c2 * sz - s2 * cz;
    jc3[i] = c2 * cr + s2 * sr + 2.0f * bs[i];
    js3[i] = c2 * sr - s2 * cr - 2.0f * bc[i];
  }
}

// Of two rows of vectors the sum of products, in eight sums of floats side by side.
SPRENN_WIDE double sum_of_dots(const float* ac, const float* as, const float* bc, const float* bs,
                               int n) {
  constexpr int kLanes = 8;
  float lane[kLanes] = {};
  int i = 0;
  for (; i + kLanes <= n; i += kLanes)
    for (int k = 0; k < kLanes; ++k)
      lane[k] += ac[i + k] * bc[i + k] + as[i + k] * bs[i + k];
  for (int k = 0; i < n; ++i, ++k)
    lane[k] += ac[i] * bc[i] + as[i] * bs[i];
  double sum = 0.0;
  for (int k = 0; k < kLanes; ++k)
    sum += static_cast<double>(lane[k]);
  return sum;
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
  const float c2 = static_cast<float>(std::cos(2.0 * place.turn)),
              s2 = static_cast<float>(std::sin(2.0 * place.turn));
  const Placer placed(place);
  double ab = 0.0, aa = 0.0, bb = 0.0, inside = 0.0;
  std::array<std::array<double, 4>, 4> square{};
  std::array<double, 4> with_a{}, with_b{};
  FitRow row(take, reference);
  for (int y = 0; y < h; ++y) {
    row.fill(placed, y);
    inside += row.n;
    turn_row(row.bc, row.bs, c2, s2, row.n);
    ab += sum_of_dots(row.ac, row.as, row.bc, row.bs, row.n);
    aa += sum_of_dots(row.ac, row.as, row.ac, row.as, row.n);
    bb += sum_of_dots(row.bc, row.bs, row.bc, row.bs, row.n);
    if (!want_step)
      continue;
    changes_of_row(row.jc, row.js, row.slope, row.x, row.bc, row.bs, place,
                   static_cast<float>(from_middle(y, h, longest)), row.n);
    for (std::size_t i = 0; i < 4; ++i) {
      with_a[i] += sum_of_dots(row.jc[i], row.js[i], row.ac, row.as, row.n);
      with_b[i] += sum_of_dots(row.jc[i], row.js[i], row.bc, row.bs, row.n);
      for (std::size_t j = i; j < 4; ++j)
        square[i][j] += sum_of_dots(row.jc[i], row.js[i], row.jc[j], row.js[j], row.n);
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

}  // namespace

Terrain terrain_of(const Field& field) {
  const Gradient c = gradient_of(field.cosine), s = gradient_of(field.sine);
  const float longest = static_cast<float>(std::max(field.cosine.width, field.cosine.height));
  Terrain out{field.cosine.width, field.cosine.height, {}};
  out.pixels.resize(kTerrain * field.cosine.size(), 0.0f);
  float* to = out.pixels.data();
  for (std::size_t i = 0; i < field.cosine.size(); ++i, to += kTerrain) {
    to[0] = field.cosine.values[i];
    to[1] = field.sine.values[i];
    to[2] = longest * c.across.values[i];
    to[3] = longest * c.down.values[i];
    to[4] = longest * s.across.values[i];
    to[5] = longest * s.down.values[i];
  }
  return out;
}

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

double displacement(const Placement& place, int width, int height) {
  const double longest = std::max(width, height);
  const Placer placed(place);
  double sum = 0.0;
  for (int i = 0; i < 9; ++i)
    for (int j = 0; j < 9; ++j) {
      const double x = (i - 4) / 8.0 * width / longest, y = (j - 4) / 8.0 * height / longest;
      const Point to = placed(x, y);
      sum += std::hypot(to.x - x, to.y - y);
    }
  return sum / 81.0;
}

}  // namespace sprenn
