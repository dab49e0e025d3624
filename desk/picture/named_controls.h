#pragma once

#include <QComboBox>
#include <QListView>
#include <QPushButton>

namespace pathmark::desk {

/// A button of that name; its words come with its command.
inline QPushButton* namedButton(const char* name) {
    auto* made = new QPushButton;
    made->setObjectName(name);
    return made;
}

/// A choice between words, named for those who hear the screen as well.
inline QComboBox*
namedChoice(const QString& name, const QString& accessible, const QStringList& words) {
    auto* box = new QComboBox;
    box->setObjectName(name);
    box->setAccessibleName(accessible);
    box->view()->setAccessibleName(accessible);
    box->addItems(words);
    return box;
}

} // namespace pathmark::desk
