#include "core/frame/colour_pattern.h"

#include <utility>

namespace pathmark::frame {

std::optional<ColourPattern> ColourPattern::of(std::string_view letters) {
    const int side = letters.size() == 4 ? 2 : letters.size() == 36 ? 6 : 0;
    if (side == 0 || letters.find_first_not_of("RGB") != std::string_view::npos) {
        return std::nullopt;
    }
    for (const char colour : {'R', 'G', 'B'}) {
        if (letters.find(colour) == std::string_view::npos) {
            return std::nullopt;
        }
    }
    ColourPattern pattern(std::string(letters), side);
    if (side == 2) {
        return pattern;
    }
    for (int y = 0; y < pattern.cell_; ++y) {
        for (int x = 0; x < pattern.cell_; ++x) {
            if (pattern.isBalancedFrom(x, y)) {
                pattern.firstX_ = x;
                pattern.firstY_ = y;
                return pattern;
            }
        }
    }
    return std::nullopt;
}

bool ColourPattern::isBalancedFrom(int x0, int y0) const {
    const int middle = (cell_ - 1) / 2;
    for (const char colour : {'R', 'G', 'B'}) {
        std::optional<int> countOfFirst;
        for (int corner = 0; corner < 4; ++corner) {
            int count = 0;
            int leanX = 0;
            int leanY = 0;
            for (int y = 0; y < cell_; ++y) {
                for (int x = 0; x < cell_; ++x) {
                    if (at(x0 + corner % 2 * cell_ + x, y0 + corner / 2 * cell_ + y) == colour) {
                        ++count;
                        leanX += x - middle;
                        leanY += y - middle;
                    }
                }
            }
            if (count == 0 || leanX != 0 || leanY != 0 || count != countOfFirst.value_or(count)) {
                return false;
            }
            countOfFirst = count;
        }
    }
    return true;
}

int ColourPattern::countInCell(char colour) const {
    int count = 0;
    for (int y = 0; y < cell_; ++y) {
        for (int x = 0; x < cell_; ++x) {
            count += at(firstX_ + x, firstY_ + y) == colour ? 1 : 0;
        }
    }
    return count;
}

std::optional<ColourPattern> ColourPattern::from(int x0, int y0) const {
    std::string letters;
    for (int y = 0; y < side_; ++y) {
        for (int x = 0; x < side_; ++x) {
            letters += at(x0 + x, y0 + y);
        }
    }
    return of(letters);
}

std::optional<ColourPattern> ColourPattern::turnedOver(int height) const {
    std::string letters;
    for (int y = 0; y < side_; ++y) {
        for (int x = 0; x < side_; ++x) {
            letters += at(x, height - 1 - y);
        }
    }
    return of(letters);
}

} // namespace pathmark::frame
