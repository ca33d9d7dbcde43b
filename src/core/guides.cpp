#include "vectorise.h"

#include "guides.h"

#include <algorithm>
#include <cmath>

namespace sprenn {
namespace {

// Centres of groups of colours, channel by channel: the distances to all of
// them are one loop that vectorises.
struct Centres {
  std::vector<float> at[3];
  std::vector<float> distance;

  explicit Centres(std::size_t count) : distance(count) {
    for (auto& channel : at)
      channel.resize(count);
  }

  std::size_t nearest(const float* own) {
    const std::size_t count = distance.size();
    float* d = distance.data();
    const float *x = at[0].data(), *y = at[1].data(), *z = at[2].data();
    for (std::size_t g = 0; g < count; ++g)
      d[g] = (own[0] - x[g]) * (own[0] - x[g]) + (own[1] - y[g]) * (own[1] - y[g]) +
             (own[2] - z[g]) * (own[2] - z[g]);
    std::size_t best = 0;
    for (std::size_t g = 1; g < count; ++g)
      best = d[g] < d[best] ? g : best;
    return best;
  }
};

// Groups of colours by k-means, begun at even steps of lightness so that the
// same picture always gives the same groups; a thousand or two of the pixels
// settle where the groups are.
std::vector<int> group_colours(const Picture& oklab, int colours) {
  const std::size_t n = oklab.channel[0].size();
  const auto k = static_cast<std::size_t>(colours);
  const std::size_t step = n / 2048 + 1;
  const auto colour_at = [&](std::size_t i, float* own) {
    for (std::size_t c = 0; c < 3; ++c)
      own[c] = oklab.channel[c].values[i];
  };
  Centres centres(k);
  Values light = oklab.channel[0].values;
  std::sort(light.begin(), light.end());
  for (std::size_t g = 0; g < k; ++g)
    centres.at[0][g] = light[(2 * g + 1) * (n - 1) / (2 * k)];
  for (std::size_t c = 1; c < 3; ++c)
    centres.at[c].assign(k, static_cast<float>(mean_of(oklab.channel[c])));
  float own[3];
  for (int round = 0; round < 8; ++round) {
    std::vector<double> sum(3 * k, 0.0);
    std::vector<double> count(k, 0.0);
    for (std::size_t i = 0; i < n; i += step) {
      colour_at(i, own);
      const std::size_t best = centres.nearest(own);
      count[best] += 1.0;
      for (std::size_t c = 0; c < 3; ++c)
        sum[3 * best + c] += static_cast<double>(own[c]);
    }
    for (std::size_t g = 0; g < k; ++g)
      for (std::size_t c = 0; count[g] > 0.0 && c < 3; ++c)
        centres.at[c][g] = static_cast<float>(sum[3 * g + c] / count[g]);
  }
  std::vector<int> group(n, 0);
  for (std::size_t i = 0; i < n; ++i) {
    colour_at(i, own);
    group[i] = static_cast<int>(centres.nearest(own));
  }
  return group;
}

// Labels connected pixels of one group, four neighbours each.
int label_regions(const std::vector<int>& group, int width, int height, std::vector<int>& label) {
  label.assign(group.size(), -1);
  int next = 0;
  std::vector<int> open;
  for (int start = 0; start < width * height; ++start) {
    if (label[static_cast<std::size_t>(start)] >= 0)
      continue;
    open.assign(1, start);
    label[static_cast<std::size_t>(start)] = next;
    while (!open.empty()) {
      const int at = open.back();
      open.pop_back();
      const int x = at % width, y = at / width;
      const int beside[4][2] = {{x - 1, y}, {x + 1, y}, {x, y - 1}, {x, y + 1}};
      for (const auto& to : beside) {
        if (to[0] < 0 || to[1] < 0 || to[0] >= width || to[1] >= height)
          continue;
        const auto i = static_cast<std::size_t>(to[1] * width + to[0]);
        if (label[i] >= 0 || group[i] != group[static_cast<std::size_t>(at)])
          continue;
        label[i] = next;
        open.push_back(static_cast<int>(i));
      }
    }
    ++next;
  }
  return next;
}

void measure_areas(const Picture& oklab, Areas& areas, int count) {
  areas.size.assign(static_cast<std::size_t>(count), 0);
  for (auto& mean : areas.mean)
    mean.assign(static_cast<std::size_t>(count), 0.0f);
  std::vector<double> sum(3 * static_cast<std::size_t>(count), 0.0);
  for (std::size_t i = 0; i < areas.label.size(); ++i) {
    const auto own = static_cast<std::size_t>(areas.label[i]);
    ++areas.size[own];
    for (std::size_t c = 0; c < 3; ++c)
      sum[3 * own + c] += static_cast<double>(oklab.channel[c].values[i]);
  }
  for (std::size_t own = 0; own < areas.size.size(); ++own)
    for (std::size_t c = 0; c < 3; ++c)
      areas.mean[c][own] = static_cast<float>(sum[3 * own + c] / std::max(1, areas.size[own]));
}

// For every region below `smallest` pixels, the larger neighbour nearest in
// colour; itself where there is none.
std::vector<int> absorbers(const Areas& areas, int smallest) {
  std::vector<int> into(areas.size.size());
  std::vector<float> nearest(areas.size.size(), 1e9f);
  for (std::size_t i = 0; i < into.size(); ++i)
    into[i] = static_cast<int>(i);
  const auto offer = [&](int from, int to) {
    const auto a = static_cast<std::size_t>(from), b = static_cast<std::size_t>(to);
    if (from == to || areas.size[a] >= smallest || areas.size[b] < areas.size[a])
      return;
    if (areas.size[b] == areas.size[a] && to > from)
      return;
    float d = 0.0f;
    for (const auto& mean : areas.mean)
      d += (mean[a] - mean[b]) * (mean[a] - mean[b]);
    if (d < nearest[a]) {
      nearest[a] = d;
      into[a] = to;
    }
  };
  for (int y = 0; y < areas.height; ++y) {
    for (int x = 0; x < areas.width; ++x) {
      const auto at = static_cast<std::size_t>(y * areas.width + x);
      const int own = areas.label[at];
      if (x + 1 < areas.width) {
        offer(own, areas.label[at + 1]);
        offer(areas.label[at + 1], own);
      }
      if (y + 1 < areas.height) {
        const int below = areas.label[at + static_cast<std::size_t>(areas.width)];
        offer(own, below);
        offer(below, own);
      }
    }
  }
  return into;
}

}  // namespace

Plane soft_edges(const Picture& oklab) {
  Plane out(oklab.width(), oklab.height());
  for (const float sigma : {1.0f, 2.0f, 4.0f}) {
    Plane total(out.width, out.height);
    for (const Plane& channel : oklab.channel) {
      const Gradient gradient = gradient_of(blur(channel, sigma));
      for (std::size_t i = 0; i < total.size(); ++i)
        total.values[i] += gradient.across.values[i] * gradient.across.values[i] +
                           gradient.down.values[i] * gradient.down.values[i];
    }
    // A broader blur flattens its gradients about in proportion.
    for (std::size_t i = 0; i < total.size(); ++i)
      out.values[i] = std::max(out.values[i], sigma * std::sqrt(total.values[i]));
  }
  const float top = std::max(0.02f, quantile_of(out.values, 0.99));
  for (float& value : out.values)
    value = std::min(1.0f, value / top);
  return out;
}

Areas find_areas(const Picture& oklab, int colours, double smallest) {
  Picture smooth;
  for (int c = 0; c < 3; ++c)
    smooth.channel[c] = blur(oklab.channel[c], 1.5f);
  Areas areas;
  areas.width = oklab.width();
  areas.height = oklab.height();
  const int found =
      label_regions(group_colours(smooth, colours), areas.width, areas.height, areas.label);
  measure_areas(smooth, areas, found);
  const int least = static_cast<int>(smallest * static_cast<double>(areas.label.size()));
  // Each pass halves the small ones at least, as every one of them goes into
  // another; a few passes leave none that has a neighbour.
  for (int pass = 0; least > 0 && pass < 24; ++pass) {
    std::vector<int> into = absorbers(areas, least);
    bool changed = false;
    for (std::size_t i = 0; i < into.size(); ++i)
      changed = changed || into[i] != static_cast<int>(i);
    if (!changed)
      break;
    const auto last = [&](int i) {
      while (into[static_cast<std::size_t>(i)] != i)
        i = into[static_cast<std::size_t>(i)];
      return i;
    };
    for (int& label : areas.label)
      label = last(label);
    std::vector<int> dense;
    const int count = label_regions(areas.label, areas.width, areas.height, dense);
    areas.label = std::move(dense);
    measure_areas(smooth, areas, count);
  }
  return areas;
}

Picture paint_areas(const Areas& areas) {
  Picture out;
  for (int c = 0; c < 3; ++c) {
    Plane plane(areas.width, areas.height);
    for (std::size_t i = 0; i < plane.size(); ++i)
      plane.values[i] = areas.mean[c][static_cast<std::size_t>(areas.label[i])];
    out.channel[c] = std::move(plane);
  }
  return out;
}

}  // namespace sprenn
