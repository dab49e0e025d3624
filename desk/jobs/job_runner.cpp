#include "desk/jobs/job_runner.h"

#include <QMetaObject>

#include <algorithm>
#include <utility>

namespace pathmark::desk {
namespace {

/// Long runs, pictures and fits go on side by side: a run of minutes must not make pictures wait.
constexpr int kFewestWorkers = 6;

} // namespace

JobRunner::JobRunner(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(std::max(kFewestWorkers, QThread::idealThreadCount() + 2));
}

JobRunner::~JobRunner() {
    closing_ = true;
    pool_.waitForDone();
}

void JobRunner::begin(std::function<void()> work) {
    pool_.start(std::move(work));
}

void JobRunner::post(std::function<void()> call) {
    QMetaObject::invokeMethod(this, std::move(call), Qt::QueuedConnection);
}

} // namespace pathmark::desk
