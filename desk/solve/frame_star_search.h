#pragma once

#include "core/night/frame_stars.h"
#include "desk/session/night_session.h"

#include <QHash>
#include <QObject>

#include <memory>

namespace pathmark::desk {

/// The stars of the frame in hand, searched and matched again on a worker while somebody looks at them.
class FrameStarSearch : public QObject {
    Q_OBJECT

  public:
    explicit FrameStarSearch(NightSession& session, QObject* parent = nullptr);

    /// Whether a view wants to know.
    void setWanted(bool wanted);

    /// Of the frame in hand; nullptr while they are not there.
    [[nodiscard]] std::shared_ptr<const night::FrameStars> stars() const;

    /// What is going on while there are none: at work, or what went wrong.
    [[nodiscard]] const QString& state() const { return state_; }

    /// See KeptSources.
    Result<std::shared_ptr<const catalog::StarStore>> store();

  signals:
    void changed();

  private:
    void look();
    void take(int index, Result<night::FrameStars> found);
    void forget();

    NightSession& session_;
    JobLane searching_;
    QHash<int, std::shared_ptr<const night::FrameStars>> known_;
    QString state_;
    bool wanted_ = false;
};

} // namespace pathmark::desk
