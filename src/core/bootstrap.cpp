#include "bootstrap.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "random.h"

namespace sprenn {

namespace {

using Rows = std::vector<std::vector<std::size_t>>;

// Some pipelines' scores, row by row: what is read together lies together.
struct Table {
  std::vector<std::size_t> columns;
  std::vector<double> value;
};

Table gather(const std::vector<double>& scores, std::size_t rows, std::vector<std::size_t> columns) {
  Table table;
  table.value.resize(rows * columns.size());
  for (std::size_t c = 0; c < columns.size(); ++c)
    for (std::size_t row = 0; row < rows; ++row)
      table.value[row * columns.size() + c] = scores[columns[c] * rows + row];
  table.columns = std::move(columns);
  return table;
}

void add_scaled(double scale, const double* from, double* to, std::size_t count) {
  std::size_t i = 0;
  for (; i + 4 <= count; i += 4) {
    const double a = to[i] + scale * from[i], b = to[i + 1] + scale * from[i + 1];
    const double c = to[i + 2] + scale * from[i + 2], d = to[i + 3] + scale * from[i + 3];
    to[i] = a;
    to[i + 1] = b;
    to[i + 2] = c;
    to[i + 3] = d;
  }
  for (; i < count; ++i) to[i] += scale * from[i];
}

// One resample: the rows in the order in which they were drawn, case by case.
struct Draw {
  std::vector<std::size_t> rows;
  std::vector<std::size_t> sizes;
};

Draw draw_rows(const Rows& of_case, Random& random) {
  Draw draw;
  const int cases = static_cast<int>(of_case.size());
  for (int k = 0; k < cases; ++k) {
    const auto& mine = of_case[static_cast<std::size_t>(random.below(cases))];
    for (std::size_t j = 0; j < mine.size(); ++j)
      draw.rows.push_back(mine[static_cast<std::size_t>(random.below(static_cast<int>(mine.size())))]);
    draw.sizes.push_back(mine.size());
  }
  return draw;
}

// Where no score is missing a draw's mean is a weighted sum of rows. Several draws
// share one walk over the table, which is larger than the fast memory.
void complete_means(const Table& table, const std::vector<Draw>& draws, std::size_t rows,
                    std::size_t pipelines, double* out) {
  const auto width = table.columns.size();
  std::vector<double> weight(draws.size() * rows, 0.0), total(draws.size() * width, 0.0);
  for (std::size_t d = 0; d < draws.size(); ++d) {
    std::size_t at = 0;
    for (const auto size : draws[d].sizes)
      for (std::size_t j = 0; j < size; ++j)
        weight[d * rows + draws[d].rows[at++]] += 1.0 / static_cast<double>(size);
  }
  // Weights are added up in the same order as what they weigh, so that the mean of
  // ones is one to the last bit.
  std::vector<double> all(draws.size(), 0.0);
  for (std::size_t row = 0; row < rows; ++row)
    for (std::size_t d = 0; d < draws.size(); ++d)
      if (const double own = weight[d * rows + row]; own > 0.0) {
        add_scaled(own, table.value.data() + row * width, total.data() + d * width, width);
        all[d] += own;
      }
  for (std::size_t d = 0; d < draws.size(); ++d)
    for (std::size_t c = 0; c < width; ++c)
      out[d * pipelines + table.columns[c]] = total[d * width + c] / all[d];
}

// Where some are missing every drawn case has its own mean of what is there.
void gappy_means(const Table& table, const Draw& draw, double* out) {
  const auto width = table.columns.size();
  std::vector<double> total(width, 0.0), sum(width), met(width), cases_met(width, 0.0);
  std::size_t at = 0;
  for (const auto size : draw.sizes) {
    std::fill(sum.begin(), sum.end(), 0.0);
    std::fill(met.begin(), met.end(), 0.0);
    for (std::size_t j = 0; j < size; ++j) {
      const double* scores = table.value.data() + draw.rows[at++] * width;
      for (std::size_t c = 0; c < width; ++c) {
        const bool missing = std::isnan(scores[c]);
        sum[c] += missing ? 0.0 : scores[c];
        met[c] += missing ? 0.0 : 1.0;
      }
    }
    for (std::size_t c = 0; c < width; ++c) {
      if (met[c] == 0.0) continue;
      total[c] += sum[c] / met[c];
      cases_met[c] += 1.0;
    }
  }
  for (std::size_t c = 0; c < width; ++c)
    out[table.columns[c]] = cases_met[c] > 0.0 ? total[c] / cases_met[c] : std::numeric_limits<double>::quiet_NaN();
}

}  // namespace

std::vector<double> paired_bootstrap(const std::vector<double>& scores, int n_pipelines,
                                     const std::vector<int>& owner, int n_cases, int draws,
                                     std::uint64_t seed) {
  const auto rows = owner.size();
  const auto pipelines = static_cast<std::size_t>(n_pipelines);
  Rows of_case(static_cast<std::size_t>(n_cases));
  for (std::size_t row = 0; row < rows; ++row)
    of_case[static_cast<std::size_t>(owner[row])].push_back(row);
  std::vector<std::size_t> whole, gappy;
  for (std::size_t p = 0; p < pipelines; ++p) {
    const auto* from = scores.data() + p * rows;
    const bool missing = std::any_of(from, from + rows, [](double score) { return std::isnan(score); });
    (missing ? gappy : whole).push_back(p);
  }
  const Table complete = gather(scores, rows, whole), incomplete = gather(scores, rows, gappy);

  Random random(seed);
  const auto count = static_cast<std::size_t>(draws);
  std::vector<double> out(count * pipelines);
  const std::size_t at_once = 8;
  for (std::size_t first = 0; first < count; first += at_once) {
    std::vector<Draw> some;
    for (std::size_t d = first; d < std::min(count, first + at_once); ++d) some.push_back(draw_rows(of_case, random));
    complete_means(complete, some, rows, pipelines, out.data() + first * pipelines);
    for (std::size_t d = 0; d < some.size(); ++d) gappy_means(incomplete, some[d], out.data() + (first + d) * pipelines);
  }
  return out;
}

}  // namespace sprenn
