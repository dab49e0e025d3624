#pragma once

#include "core/base/time.h"

#include <QCoreApplication>
#include <QString>

#include <cmath>

namespace pathmark::desk {

/// Words of the window outside of its classes, which have tr() of their own: Words::tr("%n frame(s)", nullptr, count).
struct Words {
    Q_DECLARE_TR_FUNCTIONS(Words)
};

/// A difference with its sign, as it is printed: "+0.13", "−0.29".
inline QString withSign(double value, int decimals) {
    return QString("%1%2").arg(value < 0.0 ? "−" : "+").arg(std::abs(value), 0, 'f', decimals);
}

/// A time as it is printed: "2034-03-17 22:00:30".
inline QString timeWords(const Utc& time, int decimals = 0) {
    return QString::fromStdString(toIso(time, decimals)).chopped(1).replace('T', ' ');
}

/// A magnitude and its error, with as many digits as that bears: "17.432 ± 0.006".
inline QString magnitudeWords(double value, double error) {
    const int decimals = error < 0.01 ? 3 : 2;
    return QString("%1 ± %2").arg(value, 0, 'f', decimals).arg(error, 0, 'f', decimals);
}

} // namespace pathmark::desk
