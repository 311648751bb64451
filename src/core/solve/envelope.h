// SPDX-License-Identifier: Apache-2.0
// A symmetric positive definite matrix of which each row is kept from its first entry to the diagonal, and
// its factors L D L^T, which fill no more. Jennings, A compact storage scheme for the solution of symmetric
// linear simultaneous equations (1966). Cost: rows times the square of their mean length.
#pragma once
#include <cstddef>
#include <vector>

namespace drubble::solve {

class Envelope {
 public:
  // `first`: of each row the place of its first entry, no greater than the row's own. All entries are 0.
  void shape(const std::vector<std::size_t>& first);
  std::size_t size() const { return first_.size(); }
  std::size_t first(std::size_t row) const { return first_[row]; }
  double& at(std::size_t row, std::size_t column) { return values_[begin_[row] + column - first_[row]]; }
  double at(std::size_t row, std::size_t column) const { return values_[begin_[row] + column - first_[row]]; }

  // Becomes its factors. False: it is not positive definite.
  bool factor();
  // Of factors: x becomes the solution for the right side x.
  void solve(std::vector<double>& x) const;

 private:
  std::vector<std::size_t> first_, begin_;
  std::vector<double> values_;
};

}  // namespace drubble::solve
