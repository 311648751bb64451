// SPDX-License-Identifier: Apache-2.0
// Drives the built program as a user does, in a folder of its own.
#pragma once
#include <sys/types.h>

#include <filesystem>
#include <string>
#include <vector>

namespace drubble::test {

struct Ran {
  int code = -1;
  std::string out, err;
};

class Program {
 public:
  Program();
  ~Program();
  Program(const Program&) = delete;
  Program& operator=(const Program&) = delete;

  const std::filesystem::path& folder() const { return folder_; }
  std::string path(const std::string& name) const { return (folder_ / name).string(); }
  void write(const std::string& name, const std::string& text) const;
  std::string read(const std::string& name) const;
  // What sqlite3 says to a query of a cache.
  std::string sql(const std::string& cache, const std::string& query) const;
  // Runs in the folder and waits.
  Ran run(const std::vector<std::string>& arguments) const;
  // Starts and does not wait.
  pid_t start(const std::vector<std::string>& arguments) const;
  static int waitFor(pid_t pid);  // exit code, or 128 + signal

 private:
  std::filesystem::path folder_;
};

// Where the repository's demo is.
std::string demoPath(const std::string& name);

}  // namespace drubble::test
