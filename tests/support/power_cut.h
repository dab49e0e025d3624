#pragma once

#include "tests/support/recorded_call.h"

#include <filesystem>
#include <map>
#include <memory>
#include <random>
#include <set>
#include <string>
#include <vector>

// What a disk may hold when the machine loses its power: files as a record of calls left them, by what file systems promise.
namespace pathmark::test_support {

/// What names survive.
enum class NameOrder {
    Journal, ///< names change in one order, and any sync settles all before it (ext4, XFS)
    PerFolder, ///< those of each folder in their order, and only the sync of a folder settles its names (POSIX)
};

/// A record of calls, cut at any of them.
///
/// Model    Of a file what was written before its last sync is there. Of what came after, nothing, all, the first part, or any 4 kB of it: what
///          is missing of a longer file reads as zeros. Names as NameOrder says. A rename is whole or not done.
/// Source   Pillai et al. 2014, OSDI, 433 (what file systems promise to a program).
class PowerCut {
  public:
    /// `root`: the folder that the record is of, which did not exist at its begin or was empty.
    PowerCut(std::vector<RecordedCall> calls, std::filesystem::path root);

    [[nodiscard]] std::size_t calls() const { return calls_.size(); }

    /// Makes the folder as it may be after `cut` calls.
    void restore(std::size_t cut, NameOrder order, std::mt19937_64& random) const;

    /// The folder as it is when nothing is lost.
    void restoreAll() const;

    /// Files that stand there now with other than all that was ever written to them before they were renamed or synced last; hidden ones and
    /// those with one of `but` in their names do not count.
    [[nodiscard]] std::vector<std::string> halfThere(const std::vector<std::string>& but) const;

    /// The test's own marks among the first calls.
    [[nodiscard]] std::set<std::string> saidBefore(std::size_t cut) const;

  private:
    struct Step { ///< of a file
        std::size_t call = 0;
        bool isSync = false;
    };

    struct File {
        std::vector<Step> steps;
    };

    using Names = std::map<std::string, std::size_t>; ///< numbers of files

    [[nodiscard]] std::string wholeOf(const File& file, std::size_t cut) const;
    [[nodiscard]] std::string
    leftOf(const File& file, std::size_t cut, std::mt19937_64& random) const;
    void applyName(std::size_t call, Names& names, std::set<std::string>& folders) const;
    [[nodiscard]] std::vector<bool>
    namesLeft(std::size_t cut, NameOrder order, std::mt19937_64& random) const;
    void write(const Names& names,
               const std::set<std::string>& folders,
               const std::vector<std::string>& contents) const;

    std::vector<RecordedCall> calls_;
    std::filesystem::path root_;
    std::vector<File> files_;
    std::map<std::size_t, std::size_t> created_;        ///< file of each call that creates one
    std::map<std::string, std::set<std::string>> ever_; ///< whole contents that each name stood for
};

} // namespace pathmark::test_support
