#include "app/life/due_dialog.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "app/theme/word_label.h"

namespace nk {

DueDialog::DueDialog(const std::vector<DueTask>& tasks, double now_s, QWidget* parent)
    : QDialog(parent) {
    setObjectName("due");
    setWindowTitle(tr("What is due"));
    resize(680, 560);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(8);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    auto* rows = new QVBoxLayout(body);
    rows->setContentsMargins(0, 0, 10, 0);
    rows->setSpacing(12);
    if (tasks.empty())
        rows->addWidget(new QLabel(
            tr("Nothing. Batteries that are in use and of which something was logged appear here "
               "in time."),
            body));
    int k = 0;
    for (const DueTask& t : tasks) {
        auto* row = new QHBoxLayout;
        auto* words = new QVBoxLayout;
        words->setSpacing(1);
        const QString day = QLocale().toString(
            QDateTime::fromSecsSinceEpoch(static_cast<qint64>(t.due_s)).date(), "d MMM yyyy");
        auto* name = new QPushButton(QString::fromStdString(t.battery), body);
        name->setProperty("role", "link");
        name->setToolTip(tr("Open the battery"));
        connect(name, &QPushButton::clicked, this,
                [this, id = t.batteryId] { Q_EMIT batteryChosen(id); });
        auto* head = new QHBoxLayout;
        head->addWidget(name);
        auto* when =
            new QLabel(t.overdue(now_s) ? tr("due since %1").arg(day) : tr("on %1").arg(day), body);
        when->setProperty("role", t.overdue(now_s) ? "title" : "muted");
        head->addStretch(1);
        head->addWidget(when);
        words->addLayout(head);
        auto* what = wordLabel(body);
        what->setText(QString::fromStdString(t.text));
        words->addWidget(what);
        auto* why = wordLabel(body, "", "muted");
        why->setText(QString::fromStdString(t.reason));
        words->addWidget(why);
        row->addLayout(words, 1);
        auto* ticked = new QPushButton(tr("Done"), body);
        ticked->setObjectName(QString("done-%1").arg(k++));
        ticked->setAccessibleName(
            tr("Done: %1, %2")
                .arg(QString::fromStdString(t.battery), QString::fromStdString(t.text)));
        connect(ticked, &QPushButton::clicked, this, [this, t, ticked] {
            ticked->setEnabled(false);
            ticked->setText(tr("ticked off"));
            Q_EMIT done(t);
        });
        row->addWidget(ticked, 0, Qt::AlignTop);
        rows->addLayout(row);
    }
    rows->addStretch(1);
    scroll->setWidget(body);
    box->addWidget(scroll, 1);
    auto* row = new QHBoxLayout;
    auto* calendar = new QPushButton(tr("Save as a calendar…"), this);
    calendar->setObjectName("dueCalendar");
    calendar->setEnabled(!tasks.empty());
    auto* close = new QPushButton(tr("Close"), this);
    close->setDefault(true);
    row->addWidget(calendar);
    row->addStretch(1);
    row->addWidget(close);
    box->addLayout(row);
    connect(calendar, &QPushButton::clicked, this, &DueDialog::calendarRequested);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
}

}  // namespace nk
