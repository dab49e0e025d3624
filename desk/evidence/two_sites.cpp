#include "desk/evidence/two_sites.h"

#include "core/orbit/place/ephemeris.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <QKeyEvent>
#include <QVBoxLayout>

#include <cmath>

namespace pathmark::desk {
TwoSites::TwoSites(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), comparing_(session.jobs(), 1), site_(new QLineEdit),
      words_(new QLabel) {
    setObjectName("twoSites");
    site_->setObjectName("otherSite");
    site_->setAccessibleName(tr("Site of the frame with the place held"));
    site_->setPlaceholderText(tr("other site of the place held: code, or lon lat alt"));
    site_->setFocusPolicy(Qt::ClickFocus);
    words_->setObjectName("twoSitesWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(site_);
    layout->addWidget(words_);
    hide();
    site_->installEventFilter(this);
}

/// Enter in the line is the line's: elsewhere on this page it keeps the light.
bool TwoSites::eventFilter(QObject* object, QEvent* event) {
    const bool isKey =
        event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress;
    if (!isKey) {
        return QWidget::eventFilter(object, event);
    }
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key != Qt::Key_Return && key != Qt::Key_Enter) {
        return QWidget::eventFilter(object, event);
    }
    event->accept();
    if (event->type() == QEvent::KeyPress) {
        site_->clearFocus();
        ask();
    }
    return true;
}

void TwoSites::compare(const std::optional<night::MeasurementRecord>& held,
                       const std::optional<night::MeasurementRecord>& here) {
    held_ = held;
    here_ = here;
    const bool isPair = held && here && here->seen && held->frame != here->frame;
    setVisible(isPair);
    words_->clear();
    if (isPair) {
        ask();
    }
}

void TwoSites::ask() {
    const std::string site = site_->text().trimmed().toStdString();
    if (site.empty() || !held_ || !here_ || session_.night() == nullptr) {
        return;
    }
    comparing_.drop();
    comparing_.start(
        [sources = session_.sources(),
         held = *held_,
         here = *here_,
         site,
         body = session_.currentBody()](const Job& job) -> Result<night::SiteParallax> {
            const auto orbits = sources->orbits(job);
            if (!orbits) {
                return fail(orbits.error());
            }
            return night::nightParallax(held, site, here, body, **orbits);
        },
        [this](const Result<night::SiteParallax>& parallax) {
            words_->setText(parallax ? parallaxWords(*parallax) : message(parallax.error()));
        });
}

QString TwoSites::parallaxWords(const night::SiteParallax& seen) {
    const orbit::Parallax& p = seen.parallax;
    QString words =
        tr("Shifted by %1 ± %2″ over %3 km, %4 km of it across: %5 ± %6 au, %7 km away.")
            .arg(p.shiftArcsec, 0, 'f', 3)
            .arg(seen.shiftErrorArcsec, 0, 'f', 3)
            .arg(p.baselineAu * orbit::kKilometresPerAu, 0, 'f', 1)
            .arg(p.baselinePerpendicularAu * orbit::kKilometresPerAu, 0, 'f', 1)
            .arg(p.distanceAu, 0, 'g', 7)
            .arg(seen.distanceErrorAu, 0, 'g', 2)
            .arg(p.distanceAu * orbit::kKilometresPerAu, 0, 'f', 0);
    if (seen.isMotionTakenOff) {
        words +=
            ' ' +
            tr("What the body moved in %1 s is taken off.").arg(seen.differenceSeconds, 0, 'f', 1);
    } else if (std::abs(seen.differenceSeconds) > 1.0) {
        words +=
            ' ' + tr("The exposures are %1 s apart, and no orbit tells what it moved: that is in "
                     "the shift.")
                      .arg(seen.differenceSeconds, 0, 'f', 1);
    }
    if (!seen.isOnLine()) {
        words += ' ' + tr("It is shifted %1° off the direction of the other site: sites, times or "
                          "places do not fit.")
                           .arg(seen.offLine().degrees(), 0, 'f', 0);
    }
    return words;
}

} // namespace pathmark::desk
