#pragma once

#include "core/base/angle.h"
#include "core/samp/client.h"
#include "desk/jobs/job_lane.h"

#include <QObject>
#include <QString>

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// The other programs of the desktop: what goes to them by one key, and what comes from them. They are joined when something is to go out,
/// or when the observer says so.
class Neighbours : public QObject {
    Q_OBJECT

  public:
    explicit Neighbours(JobRunner& jobs, QObject* parent = nullptr);
    ~Neighbours() override;

    [[nodiscard]] bool isJoined() const { return client_ != nullptr; }

    /// Joins them, or leaves them.
    void join();
    void leave();

    /// A picture or a table that stands in a file of this machine.
    void sendImage(const QString& file);
    void sendTable(const QString& file, const QString& name);
    void sendPlace(const SkyPos& place);

  signals:
    void placeTold(const pathmark::SkyPos& place, const QString& sender);
    void imageOffered(const QString& file, const QString& sender);
    void joinedChanged();
    void said(const QString& words);
    void failed(const QString& words);

  private:
    /// Joins where it has to, then tells everybody who listens.
    void tell(const samp::Message& message, const QString& what);
    nlohmann::json take(const std::string& sender, const samp::Message& message);
    nlohmann::json takePlace(const std::string& sender, const samp::Message& message);
    nlohmann::json takeImage(const std::string& sender, const samp::Message& message);
    nlohmann::json takeTable(const std::string& sender, const samp::Message& message);
    nlohmann::json takeRow(const std::string& sender, const samp::Message& message);
    samp::ClientOptions options();
    void keep(std::shared_ptr<samp::Client> client);

    JobLane lane_;
    std::shared_ptr<samp::Client> client_;
    std::mutex guard_;
    std::map<std::string, std::vector<std::optional<SkyPos>>>
        tables_; ///< places of the rows, by id and by address
};

/// The file of this machine that an address means; empty: it is none.
QString localFile(const std::string& url);

} // namespace pathmark::desk
