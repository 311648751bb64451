// SPDX-License-Identifier: Apache-2.0
// Keeps two writers off one cache.
#pragma once
#include <string>
#include <vector>

namespace drubble::files {

// Held through a file `PATH-lock` beside the cache, which goes with the lock. A process that dies lets go of
// it, whatever it left lying there.
class WriterLock {
 public:
  // Makes the folder of `path` where there is none; it goes with the lock if nothing came into it. Throws
  // Error(Usage) when another process writes `path` now, Error(Output) when there is no room for the file.
  explicit WriterLock(const std::string& path);
  ~WriterLock();
  WriterLock(const WriterLock&) = delete;
  WriterLock& operator=(const WriterLock&) = delete;

  const std::string& path() const { return path_; }  // of what is written

 private:
  std::string path_, file_;
  std::vector<std::string> made_;  // folders, inner first
  int handle_ = -1;
};

// Whether the file system at `path` keeps shared memory between processes true: local ones do, network ones
// do not. What is not known does not.
bool onLocalDisk(const std::string& path);

}  // namespace drubble::files
