// Words that stand in an empty field, in the quiet ink: a style sheet would thin the field's own ink by half, which
// cannot be read in sunlight.
#pragma once

#include <QColor>
#include <QObject>

namespace anhinga {

/// Watches over every field of the application; `parent` owns it.
class PlaceholderInk : public QObject {
    Q_OBJECT
  public:
    explicit PlaceholderInk(QObject* parent);
    void setInk(const QColor& ink);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void colour(QObject* field) const;
    QColor ink_;
};

}  // namespace anhinga
