#include "desk/report/report_session.h"

#include "core/base/atomic_file.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <algorithm>
#include <map>
#include <set>
#include <utility>

namespace pathmark::desk {
namespace {

const char* formName(report::Form form) {
    switch (form) {
    case report::Form::Psv: return "psv";
    case report::Form::Xml: return "xml";
    case report::Form::EightyColumn: return "80";
    }
    return "";
}

std::vector<night::Sending> sendingsOf(const NightSnapshot& night) {
    std::error_code status;
    if (!std::filesystem::exists(night.nightFile, status)) {
        return {};
    }
    auto file = night::NightFile::open(night.nightFile);
    return file ? file->sendings().value_or(std::vector<night::Sending>())
                : std::vector<night::Sending>();
}

Result<std::string>
textOf(const night::ReportedNight& reported, const night::Recipe& recipe, report::Form form) {
    std::vector<Error> leftOut; // the lines say it
    return night::reportText(reported, recipe, form, leftOut);
}

Result<ReportSession::Made> makeOf(const NightSnapshot& night, report::Form form) {
    const auto recipe = night::readRecipe(night.recipePath);
    if (!recipe) {
        return fail(recipe.error());
    }
    const night::ReportedNight reported = reportedOf(night);
    std::map<std::string, const night::MeasurementRecord*> byId;
    for (const auto& m : reported.measurements) {
        byId[m.id] = &m;
    }
    ReportSession::Made made;
    made.text = textOf(reported, *recipe, form);
    for (auto& line : night::reportLines(reported, *recipe)) {
        const auto& measurement = *byId.at(line.measurement);
        made.lines.push_back({std::move(line), measurement});
    }
    made.sendings = reported.sendings;
    if (auto addresses = night::serviceAddresses()) {
        made.address = (*addresses)[night::kReportService];
        made.mail = (*addresses)[night::kReportMail];
    }
    return made;
}

/// The kinds of what speaks against a line and is not waived.
std::set<night::DoubtKind> openKinds(const night::ReportLine& line) {
    std::set<night::DoubtKind> kinds;
    for (const night::Doubt& doubt : line.doubts) {
        if (!doubt.waived) {
            kinds.insert(doubt.kind);
        }
    }
    return kinds;
}

} // namespace

night::ReportedNight reportedOf(const NightSnapshot& night) {
    return {{night.measurements.begin(), night.measurements.end()},
            night.lights,
            night.frames,
            night.predictions,
            night.tracks,
            night.decided,
            sendingsOf(night)};
}

ReportSession::ReportSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), writing_(session.jobs(), 1), sending_(session.jobs(), 1) {
}

void ReportSession::setNight(std::shared_ptr<const NightSnapshot> night) {
    night_ = std::move(night);
}

void ReportSession::setForm(report::Form form) {
    form_ = form;
    refresh();
}

void ReportSession::refresh() {
    writing_.drop();
    if (night_ == nullptr || night_->measurements.empty()) {
        made_ = {};
        emit changed();
        return;
    }
    writing_.start([night = night_, form = form_] { return makeOf(*night, form); },
                   [this](Result<Made> made) {
                       if (made) {
                           made_ = std::move(*made);
                           emit changed();
                       } else {
                           emit failed(message(made.error()));
                       }
                   });
}

std::size_t ReportSession::toBeSent() const {
    return static_cast<std::size_t>(
        std::count_if(made_.lines.begin(), made_.lines.end(), [](const Line& one) {
            return one.line.isToBeSent();
        }));
}

std::size_t ReportSession::inDoubt() const {
    return static_cast<std::size_t>(
        std::count_if(made_.lines.begin(), made_.lines.end(), [](const Line& one) {
            return one.line.isDoubted();
        }));
}

void ReportSession::waive(const night::ReportLine& line, const QString& reason, bool everywhere) {
    const auto kinds = openKinds(line);
    night::Act act;
    for (const Line& one : made_.lines) {
        if (!everywhere && one.line.measurement != line.measurement) {
            continue;
        }
        for (const night::Doubt& doubt : one.line.doubts) {
            if (!doubt.waived && kinds.contains(doubt.kind)) {
                act.decisions.emplace_back(night::WaveThrough{
                    one.line.measurement, doubt.key(), reason.toStdString(), true});
            }
        }
    }
    if (!act.decisions.empty()) {
        act.words = tr("sent all the same: %1").arg(reason).toStdString();
        session_.decide(act);
    }
}

void ReportSession::correct(const night::ReportLine& line,
                            bool everywhere,
                            const QString& words,
                            const std::function<void(night::LineCorrection&)>& change) {
    const auto kinds = openKinds(line);
    night::Act act{words.toStdString(), {}};
    for (const Line& one : made_.lines) {
        const std::string& id = one.line.measurement;
        const auto its = openKinds(one.line);
        const bool isSuch = std::any_of(
            its.begin(), its.end(), [&](night::DoubtKind kind) { return kinds.contains(kind); });
        if (id == line.measurement || (everywhere && isSuch)) {
            const auto known = night_->decided->corrections.find(id);
            night::LineCorrection said = known == night_->decided->corrections.end()
                                             ? night::LineCorrection()
                                             : known->second;
            change(said);
            act.decisions.emplace_back(night::CorrectLine{id, said});
        }
    }
    session_.decide(act);
}

void ReportSession::nameBody(const orbit::BodyId& body, const QString& name) {
    session_.decide(
        {tr("name %1").arg(name).toStdString(), {night::NameCandidate{body, name.toStdString()}}});
}

void ReportSession::withSender(Act act) {
    if (night_ == nullptr || isSending()) {
        return;
    }
    session_.finishStoring(); // what was decided is what is sent
    sending_.start(
        [night = night_, act = std::move(act)](const Job& job) -> Result<night::Sending> {
            const auto recipe = night::readRecipe(night->recipePath);
            auto file = recipe ? night::NightFile::open(night->nightFile) : fail(recipe.error());
            if (!file) {
                return fail(file.error());
            }
            auto sender = night::Sender::open(*file, {60.0, 1});
            return sender ? act(*sender, *recipe, job) : fail(sender.error());
        },
        [this](const Result<night::Sending>& done) {
            if (!done) {
                emit session_.failed(message(done.error()));
            } else if (done->state == night::SendingState::Taken) {
                emit session_.notified(tr("Taken by the report desk, receipt %1")
                                           .arg(QString::fromStdString(done->receipt)));
            } else if (done->state == night::SendingState::Mailed) {
                emit session_.notified(
                    tr("Written as a mail: %1").arg(QString::fromStdString(done->address)));
            }
            emit sendingChanged();
            refresh();
        });
    emit sendingChanged();
}

void ReportSession::prepareAnd(
    std::function<Result<night::Sending>(
        night::Sender&, const night::Recipe&, const night::SendRequest&, const Job&)> act,
    const std::string& address) {
    night::SendRequest request;
    request.address = address;
    request.form = formName(form_);
    withSender([request, act = std::move(act)](night::Sender& sender,
                                               const night::Recipe& recipe,
                                               const Job& job) -> Result<night::Sending> {
        return act(sender, recipe, request, job);
    });
}

void ReportSession::send() {
    prepareAnd(
        [](night::Sender& sender,
           const night::Recipe& recipe,
           const night::SendRequest& request,
           const Job& job) -> Result<night::Sending> {
            const auto prepared = sender.prepare(recipe, request);
            return prepared ? sender.carry(prepared->id, job) : prepared;
        },
        made_.address);
}

void ReportSession::writeMail(const QString& path) {
    prepareAnd(
        [path](night::Sender& sender,
               const night::Recipe& recipe,
               const night::SendRequest& request,
               const Job&) -> Result<night::Sending> {
            const auto prepared = sender.prepare(recipe, request);
            return prepared ? sender.mail(prepared->id, request, recipe, path.toStdString())
                            : prepared;
        },
        made_.mail);
}

void ReportSession::goOn() {
    withSender([sendings = made_.sendings](night::Sender& sender,
                                           const night::Recipe&,
                                           const Job& job) -> Result<night::Sending> {
        Result<night::Sending> last = night::Sending();
        for (const night::Sending& sending : sendings) {
            if (sending.isOpen()) {
                if (auto carried = sender.carry(sending.id, job); !carried || last) {
                    last = std::move(carried);
                }
            }
        }
        return last;
    });
}

void ReportSession::settle(const QString& id, bool arrived) {
    withSender(
        [id = id.toStdString(), arrived](night::Sender& sender, const night::Recipe&, const Job&) {
            return sender.settle(id, arrived, {});
        });
}

void ReportSession::withdraw(const QString& id) {
    withSender([id = id.toStdString()](night::Sender& sender, const night::Recipe&, const Job&) {
        return sender.withdraw(id);
    });
}

void ReportSession::save(const QString& path) {
    if (night_ == nullptr) {
        return;
    }
    const QString target =
        path.isEmpty() ? QString::fromStdString((night_->out / night::reportFile(form_)).string())
                       : path;
    // What is saved is the night as it is decided now, not the text that was shown a moment ago.
    writing_.start(
        [night = night_, form = form_, target]() -> Result<bool> {
            const auto recipe = night::readRecipe(night->recipePath);
            const auto text =
                recipe ? textOf(reportedOf(*night), *recipe, form) : fail(recipe.error());
            return text ? writeWholeText(target.toStdString(), *text) : fail(text.error());
        },
        [this, target](const Result<bool>& saved) {
            if (saved) {
                emit session_.notified(tr("Saved %1").arg(target));
            } else {
                emit session_.failed(message(saved.error()));
            }
        });
}

} // namespace pathmark::desk
