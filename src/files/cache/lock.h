// SPDX-License-Identifier: Apache-2.0
// Keeps two writers off one cache.
#pragma once
#include <string>

namespace drubble::files {

// Held through a file `PATH-lock` beside the cache, which goes with the lock. A process that dies lets go of
// it, whatever it left lying there.
class WriterLock {
 public:
  // Throws Error(Usage) when another process writes `path` now, Error(Output) when there is no room for the
  // file.
  explicit WriterLock(const std::string& path);
  ~WriterLock();
  WriterLock(const WriterLock&) = delete;
  WriterLock& operator=(const WriterLock&) = delete;

 private:
  std::string file_;
  int handle_ = -1;
};

// Whether the file system at `path` keeps shared memory between processes true: local ones do, network ones
// do not. What is not known does not.
bool onLocalDisk(const std::string& path);

}  // namespace drubble::files
