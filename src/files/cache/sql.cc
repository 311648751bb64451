// SPDX-License-Identifier: Apache-2.0
#include "files/cache/sql.h"

#include <fmt/format.h>

namespace drubble::files {

Database::Database(const std::string& path, Mode mode) : path_(path), mode_(mode) {
  const int flags = mode == Mode::Read ? SQLITE_OPEN_READONLY : SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE;
  const int code = sqlite3_open_v2(path.c_str(), &db_, flags, nullptr);
  if (code != SQLITE_OK) {
    const std::string why = db_ != nullptr ? sqlite3_errmsg(db_) : "out of memory";
    sqlite3_close(db_);
    throw Error(mode == Mode::Read ? ErrorKind::Input : ErrorKind::Output,
                fmt::format("cannot open the cache: {}", why), Where{path, 0, 0, ""});
  }
  sqlite3_busy_timeout(db_, 5000);
}

Database::~Database() { sqlite3_close(db_); }

void Database::fail() const {
  const int code = sqlite3_errcode(db_);
  std::string message;
  if (code == SQLITE_NOTADB)
    message = "not a Drubble cache (or its beginning is damaged)";
  else if (code == SQLITE_CORRUPT)
    message = "the cache is damaged or cut short; simulate again, or copy it again from where it was whole";
  else if (code == SQLITE_FULL)
    message = "the disk is full; the frames written so far are kept";
  else
    message = fmt::format("the cache cannot be {}: {}", mode_ == Mode::Read ? "read" : "written",
                          sqlite3_errmsg(db_));
  throw Error(mode_ == Mode::Read ? ErrorKind::Input : ErrorKind::Output, message, Where{path_, 0, 0, ""});
}

void Database::run(const std::string& sql) {
  if (sqlite3_exec(db_, sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail();
}

Statement::Statement(Database& db, const std::string& sql) : db_(db) {
  check(sqlite3_prepare_v2(db.handle(), sql.c_str(), -1, &statement_, nullptr));
}

Statement::~Statement() { sqlite3_finalize(statement_); }

void Statement::check(int code) const {
  if (code != SQLITE_OK) db_.fail();
}

Statement& Statement::bind(double x) {
  check(sqlite3_bind_double(statement_, next_++, x));
  return *this;
}

Statement& Statement::bind(std::int64_t x) {
  check(sqlite3_bind_int64(statement_, next_++, x));
  return *this;
}

Statement& Statement::bind(std::string_view x) {
  check(sqlite3_bind_text(statement_, next_++, x.data(), static_cast<int>(x.size()), SQLITE_TRANSIENT));
  return *this;
}

Statement& Statement::bind(std::span<const std::byte> x) {
  check(sqlite3_bind_blob64(statement_, next_++, x.empty() ? "" : static_cast<const void*>(x.data()),
                            x.size(), SQLITE_TRANSIENT));
  return *this;
}

bool Statement::step() {
  const int code = sqlite3_step(statement_);
  if (code != SQLITE_ROW && code != SQLITE_DONE) db_.fail();
  return code == SQLITE_ROW;
}

void Statement::once() {
  while (step()) {
  }
  sqlite3_reset(statement_);
  next_ = 1;
}

std::string Statement::text(int column) const {
  const auto* p = reinterpret_cast<const char*>(sqlite3_column_text(statement_, column));
  return p != nullptr ? std::string(p, static_cast<std::size_t>(sqlite3_column_bytes(statement_, column)))
                      : std::string();
}

std::vector<std::byte> Statement::blob(int column) const {
  const auto* p = static_cast<const std::byte*>(sqlite3_column_blob(statement_, column));
  return {p, p + sqlite3_column_bytes(statement_, column)};
}

}  // namespace drubble::files
