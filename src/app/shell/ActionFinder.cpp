#include "app/shell/ActionFinder.h"

#include <QtWidgets>

namespace anhinga {

ActionFinder::ActionFinder(const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent, Qt::Popup), actions_(actions) {
    setObjectName("finder");
    setAttribute(Qt::WA_DeleteOnClose);
    auto* column = new QVBoxLayout(this);
    search_ = new QLineEdit;
    search_->setPlaceholderText("find action");
    list_ = new QListWidget;
    column->addWidget(search_);
    column->addWidget(list_);
    resize(420, 360);
    search_->installEventFilter(this);
    connect(search_, &QLineEdit::textChanged, this, [this] { fill(); });
    connect(search_, &QLineEdit::returnPressed, this, [this] { run(); });
    connect(list_, &QListWidget::itemClicked, this, [this] { run(); });
    fill();
    search_->setFocus();
}

bool ActionFinder::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        const int row = list_->currentRow() + (key == Qt::Key_Down) - (key == Qt::Key_Up);
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            list_->setCurrentRow(std::clamp(row, 0, list_->count() - 1));
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

void ActionFinder::fill() {
    list_->clear();
    for (int i = 0; i < actions_.size(); ++i) {
        const QAction* a = actions_[i];
        if (a->text().isEmpty() || !a->text().contains(search_->text().trimmed(), Qt::CaseInsensitive)) continue;
        const QString key = a->shortcut().toString(QKeySequence::NativeText);
        auto* item = new QListWidgetItem(a->text() + (key.isEmpty() ? "" : "    " + key));
        item->setData(Qt::UserRole, i);
        if (!a->isEnabled()) item->setFlags(Qt::NoItemFlags);
        list_->addItem(item);
    }
    list_->setCurrentRow(0);
}

void ActionFinder::run() {
    const QListWidgetItem* item = list_->currentItem();
    QAction* action = item != nullptr ? actions_[item->data(Qt::UserRole).toInt()] : nullptr;
    close();
    if (action != nullptr && action->isEnabled()) action->trigger();
}

}  // namespace anhinga
