#include "app/shell/help_page.h"

#include <QFile>
#include <QPainter>
#include <QPushButton>
#include <QRegularExpression>
#include <QSvgRenderer>
#include <QTextBrowser>
#include <QVBoxLayout>
#include <map>

#include "app/preferences/preferences.h"
#include "cellmodel/scenario.h"
#include "report/sheet.h"

namespace nk {

namespace {

QString resource(const QString& page) {
    // In the language of the preferences where it is written, else in English.
    const QString own = ":/help/" + Preferences::load().spoken() + "/" + page + ".html";
    QFile file(QFile::exists(own) ? own : ":/help/" + page + ".html");
    return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

/// The curve of a demo scenario as SVG text; empty when there is no such scenario.
std::string demoPicture(const std::string& name) {
    for (const auto& [known, json] : scenarioFiles()) {
        if (known != name) continue;
        const auto scenario = parseScenario(json, name);
        if (!scenario) return {};
        const auto recording = Recording::make(simulate(*scenario).logged);
        return curveSvg(*recording, findSteps(*recording, scenario->battery), 560, 300);
    }
    return {};
}

}  // namespace

HelpPage::HelpPage(const QString& page, QWidget* parent) : QDialog(parent) {
    setObjectName("helpPage");
    const QString html = resource(page) + resource("care");
    static const QRegularExpression heading("<h2>(.*?)</h2>");
    setWindowTitle(heading.match(html).captured(1));
    resize(660, 640);
    auto* box = new QVBoxLayout(this);
    text_ = new QTextBrowser(this);
    text_->setObjectName("helpText");
    text_->setOpenLinks(false);
    text_->setHtml(html);
    box->addWidget(text_);
    auto* close = new QPushButton(tr("Close"), this);
    close->setDefault(true);
    box->addWidget(close, 0, Qt::AlignRight);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);

    QStringList names;
    static const QRegularExpression picture("demo:([a-z0-9-]+)");
    for (auto it = picture.globalMatch(html); it.hasNext();) names << it.next().captured(1);
    if (names.isEmpty()) return;
    using Pictures = std::map<QString, std::string>;
    job_.start(
        [names](std::stop_token stop, const Job::ProgressSink&) {
            Pictures out;
            for (const QString& name : names)
                if (!stop.stop_requested()) out[name] = demoPicture(name.toStdString());
            return out;
        },
        [this, html](const Pictures& pictures) {
            for (const auto& [name, svg] : pictures) {
                QSvgRenderer renderer(QByteArray::fromStdString(svg));
                const qreal ratio = devicePixelRatioF();
                QImage image((QSizeF(560, 300) * ratio).toSize(), QImage::Format_ARGB32);
                image.fill(Qt::white);
                QPainter p(&image);
                renderer.render(&p);
                p.end();
                image.setDevicePixelRatio(ratio);
                text_->document()->addResource(QTextDocument::ImageResource, QUrl("demo:" + name),
                                               image);
            }
            text_->setHtml(html);
        });
}

}  // namespace nk
