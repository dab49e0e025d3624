#include "core/base/utf8.h"

namespace pathmark {

std::size_t firstNotUtf8(std::string_view text) {
    std::size_t i = 0;
    while (i < text.size()) {
        const auto byte = static_cast<unsigned char>(text[i]);
        const std::size_t more = byte < 0x80U              ? 0
                                 : (byte & 0xE0U) == 0xC0U ? 1
                                 : (byte & 0xF0U) == 0xE0U ? 2
                                 : (byte & 0xF8U) == 0xF0U ? 3
                                                           : 4;
        if (more == 4 || byte == 0xC0U || byte == 0xC1U || i + more >= text.size()) {
            return i;
        }
        const auto second = more > 0 ? static_cast<unsigned char>(text[i + 1]) : 0U;
        if ((byte == 0xE0U && second < 0xA0U) || (byte == 0xEDU && second > 0x9FU) ||
            (byte == 0xF0U && second < 0x90U) || (byte == 0xF4U && second > 0x8FU) ||
            byte > 0xF4U) {
            return i;
        }
        for (std::size_t k = 1; k <= more; ++k) {
            if ((static_cast<unsigned char>(text[i + k]) & 0xC0U) != 0x80U) {
                return i;
            }
        }
        i += more + 1;
    }
    return std::string_view::npos;
}

} // namespace pathmark
