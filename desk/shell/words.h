#pragma once

#include <QCoreApplication>

namespace pathmark::desk {

/// Words of the window outside of its classes, which have tr() of their own: Words::tr("%n frame(s)", nullptr, count).
struct Words {
    Q_DECLARE_TR_FUNCTIONS(Words)
};

} // namespace pathmark::desk
