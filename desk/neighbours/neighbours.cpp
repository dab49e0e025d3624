#include "desk/neighbours/neighbours.h"

#include "core/base/text.h"
#include "core/catalog/place_table.h"
#include "desk/session/message.h"

#include <QFileInfo>
#include <QUrl>

#include <fmt/format.h>

namespace pathmark::desk {
namespace {

using samp::errorResponse;
using samp::Message;
using samp::okResponse;

constexpr std::size_t kMostTables = 20;

std::optional<double> numberIn(const Message& message, const char* name) {
    return parseNumber(message.text(name));
}

} // namespace

QString localFile(const std::string& url) {
    const QUrl address(QString::fromStdString(url), QUrl::StrictMode);
    if (!address.isValid() || !address.isLocalFile() ||
        !(address.host().isEmpty() || address.host() == "localhost")) {
        return {};
    }
    const QFileInfo file(address.toLocalFile());
    return file.isFile() && file.isReadable() ? file.absoluteFilePath() : QString();
}

Neighbours::Neighbours(JobRunner& jobs, QObject* parent) : QObject(parent), lane_(jobs, 1) {}

Neighbours::~Neighbours() {
    lane_.drop();
    client_.reset(); // nothing is told to one who is gone
}

samp::ClientOptions Neighbours::options() {
    samp::ClientOptions o;
    o.description = "Minor planets and comets, from the camera to the report";
    o.subscriptions = {"image.load.fits",
                       "table.load.votable",
                       "table.highlight.row",
                       "table.select.rowList",
                       "coord.pointAt.sky"};
    o.onMessage = [this](const std::string& sender, const Message& message) {
        return take(sender, message);
    };
    o.onGone = [this] {
        QMetaObject::invokeMethod(
            this, [this] { leave(); }, Qt::QueuedConnection);
    };
    return o;
}

void Neighbours::join() {
    if (client_ != nullptr) {
        return;
    }
    lane_.start(
        [options = options()]() -> Result<std::shared_ptr<samp::Client>> {
            auto client = samp::Client::joinOrStart(options);
            return client ? Result<std::shared_ptr<samp::Client>>(std::move(*client))
                          : fail(client.error());
        },
        [this](const Result<std::shared_ptr<samp::Client>>& joined) {
            if (joined) {
                keep(*joined);
            } else {
                emit failed(message(joined.error()));
            }
        });
}

void Neighbours::keep(std::shared_ptr<samp::Client> client) {
    client_ = std::move(client);
    emit said(client_->hasOwnHub()
                  ? tr("Other programs of this desktop can be talked to; the hub is our own.")
                  : tr("Joined the other programs of this desktop."));
    emit joinedChanged();
}

void Neighbours::leave() {
    if (client_ == nullptr) {
        return;
    }
    // Leaving may wait for the hub.
    const auto leaving =
        std::make_shared<std::shared_ptr<samp::Client>>(std::exchange(client_, nullptr));
    lane_.start(
        [leaving] {
            leaving->reset();
            return true;
        },
        [](bool) {});
    emit said(tr("Left the other programs of this desktop."));
    emit joinedChanged();
}

void Neighbours::tell(const Message& message, const QString& what) {
    struct Told {
        std::shared_ptr<samp::Client> client;
        std::size_t listeners = 0;
    };

    lane_.start(
        [known = client_, options = options(), message]() -> Result<Told> {
            std::shared_ptr<samp::Client> client = known;
            if (client == nullptr) {
                auto joined = samp::Client::joinOrStart(options);
                if (!joined) {
                    return fail(joined.error());
                }
                client = std::move(*joined);
            }
            const auto told = client->tellAll(message);
            return told ? Result<Told>({client, *told}) : fail(told.error());
        },
        [this, what](const Result<Told>& told) {
            if (!told) {
                emit failed(desk::message(told.error()));
                return;
            }
            if (client_ == nullptr) {
                keep(told->client);
            }
            emit said(
                told->listeners == 0
                    ? tr("No other program listens to this.")
                    : tr("%1: sent to %n program(s)", nullptr, static_cast<int>(told->listeners))
                          .arg(what));
        });
}

void Neighbours::sendImage(const QString& file) {
    const std::string url = QUrl::fromLocalFile(file).toEncoded().toStdString();
    const std::string name = QFileInfo(file).fileName().toStdString();
    tell({"image.load.fits", {{"url", url}, {"image-id", url}, {"name", name}}},
         QFileInfo(file).fileName());
}

void Neighbours::sendTable(const QString& file, const QString& name) {
    const std::string url = QUrl::fromLocalFile(file).toEncoded().toStdString();
    tell({"table.load.votable", {{"url", url}, {"table-id", url}, {"name", name.toStdString()}}},
         name);
}

void Neighbours::sendPlace(const SkyPos& place) {
    tell({"coord.pointAt.sky",
          {{"ra", fmt::format("{:.7f}", normalised(place.longitude).degrees())},
           {"dec", fmt::format("{:.7f}", place.latitude.degrees())}}},
         tr("The place"));
}

nlohmann::json Neighbours::take(const std::string& sender, const Message& message) {
    if (message.kind == "coord.pointAt.sky") {
        return takePlace(sender, message);
    }
    if (message.kind == "image.load.fits") {
        return takeImage(sender, message);
    }
    if (message.kind == "table.load.votable") {
        return takeTable(sender, message);
    }
    return takeRow(sender, message);
}

nlohmann::json Neighbours::takePlace(const std::string& sender, const Message& message) {
    const auto ra = numberIn(message, "ra");
    const auto dec = numberIn(message, "dec");
    if (!ra || !dec || !std::isfinite(*ra) || !(std::abs(*dec) <= 90.0)) {
        return errorResponse("ra and dec must be degrees.");
    }
    emit placeTold({normalised(Angle::degrees(*ra)), Angle::degrees(*dec)},
                   QString::fromStdString(sender));
    return okResponse();
}

nlohmann::json Neighbours::takeImage(const std::string& sender, const Message& message) {
    const QString file = localFile(message.text("url"));
    if (file.isEmpty()) {
        return errorResponse("Only files of this machine are taken, and there is no such one.");
    }
    emit imageOffered(file, QString::fromStdString(sender));
    return okResponse();
}

nlohmann::json Neighbours::takeTable(const std::string& /*sender*/, const Message& message) {
    const QString file = localFile(message.text("url"));
    if (file.isEmpty()) {
        return errorResponse("Only files of this machine are taken, and there is no such one.");
    }
    auto places = catalog::placesOf(file.toStdString());
    if (!places) {
        return errorResponse(places.error().detail);
    }
    const auto rows = static_cast<int>(places->size());
    {
        const std::lock_guard lock(guard_);
        while (tables_.size() >= kMostTables) {
            tables_.erase(tables_.begin());
        }
        for (const char* name : {"table-id", "url"}) {
            if (const std::string id = message.text(name); !id.empty()) {
                tables_[id] = *places;
            }
        }
    }
    const QString name = QString::fromStdString(message.text("name"));
    emit said(tr("%1: %n row(s); the row chosen there is ringed here", nullptr, rows)
                  .arg(name.isEmpty() ? QFileInfo(file).fileName() : name));
    return okResponse();
}

nlohmann::json Neighbours::takeRow(const std::string& sender, const Message& message) {
    std::optional<double> row = numberIn(message, "row");
    if (message.parameters.contains("row-list") && message.parameters["row-list"].is_array() &&
        !message.parameters["row-list"].empty() && message.parameters["row-list"][0].is_string()) {
        row = parseNumber(message.parameters["row-list"][0].get<std::string>());
    }
    const std::lock_guard lock(guard_);
    auto known = tables_.find(message.text("table-id"));
    if (known == tables_.end()) {
        known = tables_.find(message.text("url"));
    }
    if (known == tables_.end()) {
        return errorResponse("That table is not here.");
    }
    if (!row || !(*row >= 0.0) || *row >= static_cast<double>(known->second.size())) {
        return errorResponse("That table has no such row.");
    }
    if (const auto& place = known->second[static_cast<std::size_t>(*row)]) {
        emit placeTold(*place, QString::fromStdString(sender));
    }
    return okResponse();
}

} // namespace pathmark::desk
