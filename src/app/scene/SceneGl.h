// Draws the Scene with OpenGL 3.3 (or ES 3): ground, sky, lines of a width in pixels, faces. Needs a current context
// for everything but its construction.
#pragma once

#include <QOpenGLBuffer>
#include <QOpenGLExtraFunctions>
#include <QOpenGLShaderProgram>
#include <QOpenGLTexture>
#include <QOpenGLVertexArrayObject>
#include <array>
#include <memory>

#include "app/scene/SceneGround.h"
#include "app/scene/SceneThings.h"

namespace anhinga {

/// Milliseconds a frame took, by part; measured to the end of each part (glFinish) only when asked for.
struct SceneCost {
    double sky_ms = 0, ground_ms = 0, shapes_ms = 0, labels_ms = 0, all_ms = 0;
    std::size_t triangles = 0, pieces = 0, lines = 0;
};

class SceneGl : protected QOpenGLExtraFunctions {
  public:
    /// Empty, or why nothing can be drawn.
    QString begin();
    void end();

    void setGround(std::shared_ptr<const SceneGround> ground);
    /// What stands: obstacles; what is planned; its photos; what was flown; what moves.
    enum Slot { standing, planned, photos, track, moving, kSlots };
    void setShapes(Slot slot, const SceneShapes& shapes);

    struct Look {
        SceneCamera camera;
        SceneSpace space;
        QRect viewport;  // in pixels of the device, y up
        QColor sky_high, sky_low;
        double line_scale = 1;  // pixels of this picture for one of the screen
        bool measure = false;
        bool eye = false;  // what a camera sees: ground and what stands on it
    };
    void draw(const Look& look, SceneCost& cost);

  private:
    struct Piece {
        struct Level {
            std::unique_ptr<QOpenGLBuffer> vertices;
            std::unique_ptr<QOpenGLVertexArrayObject> array;
        };
        std::array<Level, SceneGround::kLevels> levels;  // made when first drawn
        const GroundPiece* from = nullptr;
        QVector3D low, high;
    };
    struct Shapes {
        std::unique_ptr<QOpenGLBuffer> lines, indices, faces;
        std::unique_ptr<QOpenGLVertexArrayObject> line_array, face_array;
        int line_indices = 0, solid = 0, clear = 0;
        std::size_t index_room = 0;
    };
    bool program(QOpenGLShaderProgram& p, const char* vertex, const char* fragment);
    void upload();
    QOpenGLVertexArrayObject& arrayOf(Piece& piece, std::size_t level);
    void drawGround(const Look& look, const QMatrix4x4& matrix, SceneCost& cost);
    void drawLines(const Look& look, const QMatrix4x4& matrix, const Shapes& s);
    void drawFaces(const Look& look, const QMatrix4x4& matrix, const Shapes& s, bool clear);

    QOpenGLShaderProgram sky_, ground_program_, line_program_, face_program_;
    std::unique_ptr<QOpenGLVertexArrayObject> nothing_;
    std::array<std::unique_ptr<QOpenGLBuffer>, SceneGround::kLevels> triangles_;
    std::array<int, SceneGround::kLevels> triangle_counts_{};
    std::shared_ptr<const SceneGround> ground_, wanted_;
    std::vector<Piece> pieces_;
    std::unique_ptr<QOpenGLTexture> picture_;
    std::array<Shapes, kSlots> shapes_;
    std::array<SceneShapes, kSlots> waiting_;
    std::array<bool, kSlots> changed_{};
    QString problem_;
    bool begun_ = false;
};

}  // namespace anhinga
