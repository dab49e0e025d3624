#pragma once

#include <string>
#include <utility>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// The manual pages of the program and of each of its verbs, by file name, written from what the verbs say of themselves.
///
/// `date` is that of the pages, "2034-03-17".
/// Source   mdoc(7)
std::vector<std::pair<std::string, std::string>> manualPages(const CLI::App& program,
                                                             const std::string& date);

/// Completion of verbs and options for bash and for zsh.
std::string bashCompletion(const CLI::App& program);
std::string zshCompletion(const CLI::App& program);

} // namespace pathmark::command
