#include "bootstrap.h"

#include <cmath>
#include <limits>
#include <map>

#include "random.h"

namespace sprenn {

namespace {

// Unit by unit, so that what is read together lies together; what is missing weighs nothing.
struct Table {
  std::size_t units, columns;
  std::vector<double> value, known;
};

Table turned(const std::vector<double>& means, std::size_t units, std::size_t columns) {
  Table table{units, columns, std::vector<double>(units * columns), std::vector<double>(units * columns)};
  for (std::size_t c = 0; c < columns; ++c)
    for (std::size_t u = 0; u < units; ++u) {
      const double mean = means[c * units + u];
      table.value[u * columns + c] = std::isnan(mean) ? 0.0 : mean;
      table.known[u * columns + c] = std::isnan(mean) ? 0.0 : 1.0;
    }
  return table;
}

// The mean of each column, every unit counted `times`.
void counted_means(const Table& table, const std::vector<double>& times, std::vector<double>& sum,
                   std::vector<double>& met) {
  std::fill(sum.begin(), sum.end(), 0.0);
  std::fill(met.begin(), met.end(), 0.0);
  for (std::size_t u = 0; u < table.units; ++u) {
    const double own = times[u];
    if (own == 0.0) continue;
    const double* value = table.value.data() + u * table.columns;
    const double* known = table.known.data() + u * table.columns;
    for (std::size_t c = 0; c < table.columns; ++c) {
      sum[c] += own * value[c];
      met[c] += own * known[c];
    }
  }
  for (std::size_t c = 0; c < table.columns; ++c)
    sum[c] = met[c] > 0.0 ? sum[c] / met[c] : std::numeric_limits<double>::quiet_NaN();
}

}  // namespace

std::vector<double> paired_bootstrap(const std::vector<double>& means, int units, int columns,
                                     int draws, std::uint64_t seed) {
  const auto width = static_cast<std::size_t>(columns);
  const Table table = turned(means, static_cast<std::size_t>(units), width);
  std::vector<double> times(table.units, 1.0), drawn(width), met(width), mean(width);
  counted_means(table, times, mean, met);
  // Columns with as many known units share their stretch, so that they stay paired.
  std::map<int, double> stretch;
  std::vector<int> known(width);
  for (std::size_t c = 0; c < width; ++c) stretch[known[c] = static_cast<int>(met[c])] = 0.0;

  Random random(seed);
  std::vector<double> out;
  out.reserve(static_cast<std::size_t>(draws) * width);
  for (int d = 0; d < draws; ++d) {
    std::fill(times.begin(), times.end(), 0.0);
    for (int k = 0; k < units; ++k) times[static_cast<std::size_t>(random.below(units))] += 1.0;
    for (auto& [n, by] : stretch)
      by = n > 1 ? std::sqrt(n / random.chi_squared(n - 1)) : std::numeric_limits<double>::quiet_NaN();
    counted_means(table, times, drawn, met);
    for (std::size_t c = 0; c < width; ++c) out.push_back(mean[c] + stretch[known[c]] * (drawn[c] - mean[c]));
  }
  return out;
}

}  // namespace sprenn
