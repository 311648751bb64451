// SPDX-License-Identifier: Apache-2.0
// For tests: a folder of its own that goes with it, also where two runs of the tests go on at once.
#pragma once
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <string>

namespace drubble::files {

class TestFolder {
 public:
  explicit TestFolder(const std::string& name)
      : path_(std::filesystem::temp_directory_path() / (name + "_" + std::to_string(getpid()))) {
    std::filesystem::create_directories(path_);
  }
  ~TestFolder() { std::filesystem::remove_all(path_); }
  TestFolder(const TestFolder&) = delete;
  TestFolder& operator=(const TestFolder&) = delete;

  std::string at(const std::string& name) const { return (path_ / name).string(); }
  std::string write(const std::string& name, const std::string& bytes) const {
    std::ofstream(at(name), std::ios::binary) << bytes;
    return at(name);
  }

 private:
  std::filesystem::path path_;
};

}  // namespace drubble::files
