#pragma once

#include "core/night/report/reported_night.h"
#include "core/night/report/sender.h"
#include "desk/jobs/job_lane.h"
#include "desk/session/night_snapshot.h"

#include <QObject>

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::desk {

class NightSession;

/// A night as reports are written from it, with what was sent of it.
night::ReportedNight reportedOf(const NightSnapshot& night);

/// The report of the night in hand: its lines, its text, what was sent of it; and what the observer does with them.
class ReportSession : public QObject {
    Q_OBJECT

  public:
    explicit ReportSession(NightSession& session, QObject* parent = nullptr);

    /// A line with the measurement that it is of.
    struct Line {
        night::ReportLine line;
        night::MeasurementRecord measurement;
    };

    /// What was made of the night, on a worker.
    struct Made {
        std::vector<Line> lines;
        Result<std::string> text = std::string(); ///< in the chosen form
        std::vector<night::Sending> sendings;
        std::string address; ///< of the report desk; may be empty
        std::string mail;    ///< of its mail; may be empty
    };

    void setNight(std::shared_ptr<const NightSnapshot> night);

    [[nodiscard]] const Made& made() const { return made_; }

    [[nodiscard]] report::Form form() const { return form_; }

    void setForm(report::Form form);
    void refresh();

    /// Lines that would leave now, and those of them that are in doubt.
    [[nodiscard]] std::size_t toBeSent() const;
    [[nodiscard]] std::size_t inDoubt() const;

    [[nodiscard]] bool isSending() const { return sending_.isBusy(); }

    /// The open doubts of a line are waived; `everywhere`: of all lines that have the same ones.
    void waive(const night::ReportLine& line, const QString& reason, bool everywhere);

    /// A line, or all that have the same open doubts, is reported otherwise than it was measured.
    void correct(const night::ReportLine& line,
                 bool everywhere,
                 const QString& words,
                 const std::function<void(night::LineCorrection&)>& change);

    void nameBody(const orbit::BodyId& body, const QString& name);

    /// Sends what is to be sent; the look has been taken.
    void send();

    /// Writes what is to be sent as a mail file.
    void writeMail(const QString& path);

    void goOn();
    void settle(const QString& id, bool arrived);
    void withdraw(const QString& id);

    /// Writes the report in the chosen form to a file.
    void save(const QString& path);

  signals:
    void changed();
    void failed(const QString& message); ///< nothing can be made of the night
    void sendingChanged();

  private:
    using Act =
        std::function<Result<night::Sending>(night::Sender&, const night::Recipe&, const Job&)>;

    /// Does something with a sender on a worker; then all is read again.
    void withSender(Act act);
    void prepareAnd(
        std::function<Result<night::Sending>(
            night::Sender&, const night::Recipe&, const night::SendRequest&, const Job&)> act,
        const std::string& address);

    NightSession& session_;
    std::shared_ptr<const NightSnapshot> night_;
    JobLane writing_;
    JobLane sending_;
    report::Form form_ = report::Form::Psv;
    Made made_;
};

} // namespace pathmark::desk
