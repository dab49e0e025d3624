#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <initializer_list>
#include <string>
#include <string_view>

namespace pathmark::simulate {

/// A FITS file's bytes, the cards of whose first header can be changed in place, also into what no library would write.
///
/// Domain   Headers with room for a card more before their last block ends, as those of the simulator have.
class HeaderCards {
  public:
    /// Errors   frame.not_readable
    static Result<HeaderCards> read(const std::filesystem::path& path);

    /// Makes comments of the cards that are there.
    void remove(std::initializer_list<std::string_view> keywords);

    /// Sets a card, in place of an old one or as the last.
    void set(std::string_view keyword, const std::string& value);

    /// False where there is no such card.
    bool rename(std::string_view keyword, std::string_view to);

    /// What stands after the equals sign; empty where there is no such card.
    [[nodiscard]] std::string text(std::string_view keyword) const;

    [[nodiscard]] const std::string& bytes() const { return bytes_; }

  private:
    explicit HeaderCards(std::string bytes) : bytes_(std::move(bytes)) {}

    [[nodiscard]] std::size_t find(std::string_view keyword) const;

    std::string bytes_;
};

} // namespace pathmark::simulate
