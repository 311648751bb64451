// SPDX-License-Identifier: Apache-2.0
// Progress on stderr: one line that is drawn again on a terminal, a line every few seconds elsewhere.
#pragma once
#include <chrono>
#include <string>
#include <vector>

#include "files/simulate.h"

namespace drubble::cli {

class ProgressLine {
 public:
  ProgressLine();
  ~ProgressLine();
  void tell(const files::RunProgress& p);
  void tell(const std::string& what, double share);  // of work before the first frame
  void say(const std::string& text);                 // a line of its own
  void close();                                      // ends an open line

 private:
  void show(const std::string& text, bool last);
  bool terminal_;
  bool open_ = false;
  std::chrono::steady_clock::time_point told_ = std::chrono::steady_clock::now();
};

// What `run` does, for other commands too. Gives an exit code.
struct RunRequest {
  std::string setup;
  std::string output;  // empty: out/NAME.drub
  std::vector<std::string> overrides;
  bool force = false, json = false, stats = false, stop_at_rest = false;
  bool resume = false, versions = false;
  std::string from;  // [CACHE:]FRAME; empty: from the start
  int checkpoint_every = 24;
  std::vector<files::Limit> limits;
  world::Machine machine;
};
int runSetup(const RunRequest& request);
// Where it goes, and from where it goes on.
void choosePaths(const RunRequest& request, files::RunOptions& options);

}  // namespace drubble::cli
