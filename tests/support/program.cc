// SPDX-License-Identifier: Apache-2.0
#include "program.h"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <fstream>
#include <sstream>
#include <stdexcept>

namespace drubble::test {

namespace fs = std::filesystem;

Program::Program() {
  std::string name = (fs::temp_directory_path() / "drubble-test-XXXXXX").string();
  if (mkdtemp(name.data()) == nullptr) throw std::runtime_error("no temporary folder");
  folder_ = name;
}

Program::~Program() {
  std::error_code ignored;
  fs::remove_all(folder_, ignored);
}

void Program::write(const std::string& name, const std::string& text) const {
  fs::create_directories((folder_ / name).parent_path());
  std::ofstream(folder_ / name, std::ios::binary) << text;
}

std::string Program::read(const std::string& name) const {
  std::ifstream in(folder_ / name, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

pid_t Program::start(const std::vector<std::string>& arguments) const {
  std::vector<std::string> words{DRUBBLE_PROGRAM};
  words.insert(words.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& w : words) argv.push_back(w.data());
  argv.push_back(nullptr);
  const pid_t pid = fork();
  if (pid != 0) return pid;
  if (chdir(folder_.c_str()) != 0) _exit(127);
  for (const auto& [name, fd] :
       {std::pair{"stdout.txt", STDOUT_FILENO}, std::pair{"stderr.txt", STDERR_FILENO}}) {
    const int file = open(name, O_WRONLY | O_CREAT | O_TRUNC, 0644);
    dup2(file, fd);
    close(file);
  }
  execv(argv[0], argv.data());
  _exit(127);
}

int Program::waitFor(pid_t pid) {
  int status = 0;
  waitpid(pid, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

Ran Program::run(const std::vector<std::string>& arguments) const {
  Ran r;
  r.code = waitFor(start(arguments));
  r.out = read("stdout.txt");
  r.err = read("stderr.txt");
  return r;
}

std::string Program::sql(const std::string& cache, const std::string& query) const {
  const std::string command = "sqlite3 '" + path(cache) + "' \"" + query + "\" > '" + path("sql.txt") + "'";
  if (std::system(command.c_str()) != 0) return "sqlite3 failed";
  return read("sql.txt");
}

std::string demoPath(const std::string& name) { return std::string(DRUBBLE_SOURCE) + "/demo/" + name; }

}  // namespace drubble::test
