#pragma once

#include "desk/route/route_bar.h"
#include "desk/session/night_snapshot.h"

#include <QKeySequence>
#include <QList>
#include <QString>

#include <memory>

class QWidget;

namespace pathmark::desk {

class Commands;
class NightSession;
class SkyView;

/// What a bench says of itself when it registers.
struct BenchInfo {
    QString id; ///< for the program
    QString title;
    Stage stage = Stage::Measure;
    QList<int> widths;     ///< of Bodies, Sky and the bench in a window of 1280 pixels
    QKeySequence key = {}; ///< opens it wherever one is; empty: only its stage does
};

/// A picture that one stage of the night is worked on, in the room right of the Sky. The window knows none of them by name:
/// allBenches() makes them, each gives its commands, and the window shows the first of a stage that is meant for the night.
class Bench {
  public:
    Bench() = default;
    virtual ~Bench() = default;
    Bench(const Bench&) = delete;
    Bench& operator=(const Bench&) = delete;

    [[nodiscard]] virtual BenchInfo info() const = 0;
    [[nodiscard]] virtual QWidget* widget() = 0;

    virtual void addCommands(Commands&) {}

    /// The night that is open now, or null. The one given before must not be looked at any more.
    virtual void setNight(const std::shared_ptr<const NightSnapshot>&) {}

    /// The place of the light in hand in the night, or -1.
    virtual void setFrame(int) {}

    /// Whether it is on the screen.
    virtual void setShown(bool) {}

    /// Another theme.
    virtual void refreshColours() {}

    /// Whether choosing its stage opens it; a bench that only its command opens says no.
    [[nodiscard]] virtual bool opensFor(const NightSnapshot*) const { return true; }

    /// A view beside the Sky that is to be compared with it, and belongs into a snapshot; null: none.
    [[nodiscard]] virtual SkyView* skyBeside() { return nullptr; }
};

/// What benches are made from.
struct BenchParts {
    NightSession& session;
    SkyView& sky;
    QObject& owner; ///< of what is no widget
};

/// Every bench, those of one stage in the order in which they are tried. A bench is added here and in its own files.
std::vector<Bench*> allBenches(const BenchParts& parts);

} // namespace pathmark::desk
