#include "core/frame/frame_info.h"

#include <algorithm>
#include <string>
#include <string_view>

#include "fuzz/input.h"

// Any text as the cards of a header ("KEY=value/comment", one a line).

namespace {

using namespace pathmark::frame;

Header headerOf(std::string_view text) {
    Header header;
    while (!text.empty()) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        const std::string_view line = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        const std::size_t equals = std::min(line.find('='), line.size());
        const std::string_view rest = line.substr(std::min(equals + 1, line.size()));
        const std::size_t slash = std::min(rest.find('/'), rest.size());
        Card card{std::string(line.substr(0, equals)), std::string(rest.substr(0, slash)), {}};
        card.comment = rest.substr(std::min(slash + 1, rest.size()));
        header.add(card);
    }
    return header;
}

} // namespace

void pathmark::fuzz::execute(const Input& input) {
    const std::string text = input.text();
    (void)describeFrame("/night/lights/x.fits", 64, 48, headerOf(text));
}
