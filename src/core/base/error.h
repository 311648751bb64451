// SPDX-License-Identifier: Apache-2.0
// One error type. Core throws it without a place; files adds Where; cli turns the kind into an exit code.
#pragma once
#include <optional>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace drubble {

enum class ErrorKind { Usage, Input, Output, Diverged, Cancelled, Internal };

struct Where {
  std::string path;
  int line = 0;      // 1-based; 0: the whole file
  int column = 0;    // 1-based
  std::string text;  // the line itself, for the caret
};

struct Problem {
  std::string message;  // what is wrong and what to do
  std::optional<Where> where;
};

class Error : public std::runtime_error {
 public:
  Error(ErrorKind kind, std::string message, std::optional<Where> where = {})
      : std::runtime_error(message), kind_(kind), problems_{{std::move(message), std::move(where)}} {}
  Error(ErrorKind kind, std::vector<Problem> problems)
      : std::runtime_error(problems.empty() ? "unknown" : problems.front().message),
        kind_(kind),
        problems_(std::move(problems)) {}

  ErrorKind kind() const { return kind_; }
  const std::vector<Problem>& problems() const { return problems_; }

 private:
  ErrorKind kind_;
  std::vector<Problem> problems_;
};

}  // namespace drubble
