// SPDX-License-Identifier: Apache-2.0
#include "core/solve/envelope.h"

#include <algorithm>

namespace drubble::solve {

void Envelope::shape(const std::vector<std::size_t>& first) {
  first_ = first;
  begin_.resize(first.size());
  std::size_t all = 0;
  for (std::size_t i = 0; i < first.size(); ++i) {
    begin_[i] = all;
    all += i - first[i] + 1;
  }
  values_.assign(all, 0);
}

bool Envelope::factor() {
  for (std::size_t i = 0; i < size(); ++i) {
    for (std::size_t j = first_[i]; j < i; ++j) {
      double sum = at(i, j);
      for (std::size_t k = std::max(first_[i], first_[j]); k < j; ++k) sum -= at(i, k) * at(j, k);
      at(i, j) = sum;  // L D, for now
    }
    double diagonal = at(i, i);
    for (std::size_t j = first_[i]; j < i; ++j) {
      const double scaled = at(i, j) / at(j, j);
      diagonal -= scaled * at(i, j);
      at(i, j) = scaled;
    }
    if (!(diagonal > 0)) return false;
    at(i, i) = diagonal;
  }
  return true;
}

void Envelope::solve(std::vector<double>& x) const {
  for (std::size_t i = 0; i < size(); ++i) {
    const double* row = values_.data() + begin_[i];
    double sum = x[i];
    for (std::size_t j = first_[i]; j < i; ++j) sum -= *row++ * x[j];
    x[i] = sum;
  }
  for (std::size_t i = 0; i < size(); ++i) x[i] /= at(i, i);
  for (std::size_t i = size(); i-- > 0;) {
    const double* row = values_.data() + begin_[i];
    for (std::size_t j = first_[i]; j < i; ++j) x[j] -= *row++ * x[i];
  }
}

}  // namespace drubble::solve
