#pragma once

#include <QString>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::desk {

/// 10 to a negative power as it is printed; beyond 10⁻⁹⁹ nobody counts.
inline QString powerOfTen(double log10) {
    static const std::array<QChar, 10> raised{
        u'⁰', u'¹', u'²', u'³', u'⁴', u'⁵', u'⁶', u'⁷', u'⁸', u'⁹'};
    QString text = "10⁻";
    for (const QChar digit :
         QString::number(std::clamp(static_cast<int>(std::floor(-log10)), 0, 99))) {
        text += raised[static_cast<std::size_t>(digit.digitValue())];
    }
    return text;
}

} // namespace pathmark::desk
