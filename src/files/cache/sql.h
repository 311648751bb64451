// SPDX-License-Identifier: Apache-2.0
// The little of SQLite that the cache needs, with errors as Error.
#pragma once
#include <sqlite3.h>

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/error.h"

namespace drubble::files {

class Database {
 public:
  enum class Mode { Read, Write };
  // Throws Error(Input) or Error(Output) naming the path.
  Database(const std::string& path, Mode mode);
  ~Database();
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;

  void run(const std::string& sql);
  [[noreturn]] void fail() const;
  sqlite3* handle() const { return db_; }
  const std::string& path() const { return path_; }

 private:
  std::string path_;
  Mode mode_;
  sqlite3* db_ = nullptr;
};

class Statement {
 public:
  Statement(Database& db, const std::string& sql);
  ~Statement();
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  // Binds the next parameter.
  Statement& bind(double x);
  Statement& bind(std::int64_t x);
  Statement& bind(int x) { return bind(static_cast<std::int64_t>(x)); }
  Statement& bind(std::uint32_t x) { return bind(static_cast<std::int64_t>(x)); }
  Statement& bind(std::string_view x);
  Statement& bind(const char* x) { return bind(std::string_view(x)); }
  Statement& bind(std::span<const std::byte> x);

  bool step();  // true: a row is there
  void once();  // runs to the end and is ready for new parameters

  double real(int column) const { return sqlite3_column_double(statement_, column); }
  bool isNull(int column) const { return sqlite3_column_type(statement_, column) == SQLITE_NULL; }
  std::int64_t integer(int column) const { return sqlite3_column_int64(statement_, column); }
  bool null(int column) const { return sqlite3_column_type(statement_, column) == SQLITE_NULL; }
  std::string text(int column) const;
  std::vector<std::byte> blob(int column) const;

 private:
  void check(int code) const;
  Database& db_;
  sqlite3_stmt* statement_ = nullptr;
  int next_ = 1;
};

}  // namespace drubble::files
