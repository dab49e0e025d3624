#pragma once

#include "core/night/body_orbit.h"
#include "desk/session/night_session.h"

#include <QObject>

#include <memory>

namespace pathmark::desk {

/// The orbit of the body in hand, fitted again on a worker whenever the body or one of its observations changes. Only while
/// somebody looks at it.
class OrbitSession : public QObject {
    Q_OBJECT

  public:
    explicit OrbitSession(NightSession& session, QObject* parent = nullptr);

    /// The fit of the body in hand; null while there is none.
    [[nodiscard]] const std::shared_ptr<const night::BodyOrbit>& orbit() const { return orbit_; }

    /// Why there is none, or what is going on.
    [[nodiscard]] const QString& state() const { return state_; }

    /// Lines of the orbit and observation files that could not be read.
    [[nodiscard]] const std::vector<Error>& problems() const { return problems_; }

    void setWanted(bool wanted);

    /// Takes an observation out of the fit, or back in; can be undone.
    void toggle(int observation);

  signals:
    void changed();

  private:
    /// What a worker found.
    struct Fitted {
        std::vector<Error> problems; ///< of the files that it read
        Result<night::BodyOrbit> orbit;
    };

    void forget();
    void fit();
    void take(Fitted fitted);

    NightSession& session_;
    std::vector<Error> problems_;
    std::shared_ptr<const night::BodyOrbit> orbit_;
    QString state_;
    bool wanted_ = false;
    JobLane fitting_;
};

} // namespace pathmark::desk
