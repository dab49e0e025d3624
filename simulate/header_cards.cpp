#include "simulate/header_cards.h"

#include "core/base/whole_file.h"

#include <fmt/format.h>

namespace pathmark::simulate {
namespace {

constexpr std::size_t kCard = 80;

std::string card(const std::string& text) {
    return fmt::format("{:<80}", text);
}

} // namespace

Result<HeaderCards> HeaderCards::read(const std::filesystem::path& path) {
    auto bytes = readWholeFile(path);
    if (!bytes) {
        return fail(ErrorId::FrameNotReadable, "A made frame cannot be read.", path.string());
    }
    return HeaderCards(std::move(*bytes));
}

void HeaderCards::remove(std::initializer_list<std::string_view> keywords) {
    for (const std::string_view keyword : keywords) {
        if (const auto at = find(keyword); at != std::string::npos) {
            bytes_.replace(at, kCard, card("COMMENT"));
        }
    }
}

void HeaderCards::set(std::string_view keyword, const std::string& value) {
    auto at = find(keyword);
    if (at == std::string::npos) {
        at = find("END");
        bytes_.replace(at + kCard, kCard, card("END"));
    }
    bytes_.replace(at, kCard, card(fmt::format("{:<8}= {}", keyword, value)));
}

bool HeaderCards::rename(std::string_view keyword, std::string_view to) {
    const auto at = find(keyword);
    if (at != std::string::npos) {
        bytes_.replace(at, 8, fmt::format("{:<8}", to));
    }
    return at != std::string::npos;
}

std::string HeaderCards::text(std::string_view keyword) const {
    const auto at = find(keyword);
    return at == std::string::npos ? std::string() : bytes_.substr(at + 10, kCard - 10);
}

std::size_t HeaderCards::find(std::string_view keyword) const {
    const std::string head = fmt::format("{:<8}", keyword);
    for (std::size_t at = 0; at + kCard <= bytes_.size(); at += kCard) {
        if (bytes_.compare(at, 8, head) == 0) {
            return at;
        }
        if (bytes_.compare(at, 8, "END     ") == 0) {
            break;
        }
    }
    return std::string::npos;
}

} // namespace pathmark::simulate
