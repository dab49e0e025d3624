#include "core/base/base64.h"

namespace pathmark {

std::string toBase64(std::string_view bytes) {
    static constexpr std::string_view digits =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    text.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        unsigned value = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            value = value << 8U |
                    (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
        }
        for (unsigned k = 0; k < 4; ++k) {
            text += i + k > bytes.size() ? '=' : digits[value >> (18U - 6U * k) & 63U];
        }
    }
    return text;
}

} // namespace pathmark
