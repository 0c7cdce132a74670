#include "app/scene/SceneGl.h"

#include <QOpenGLContext>
#include <cstddef>

#include "core/base/Text.h"

namespace anhinga {

namespace {

struct LineVertex {
    float ax, ay, az, bx, by, bz;
    float side, end, width;
    float r, g, b, a;
};
struct FaceVertex {
    float x, y, z, r, g, b, a;
};

// Each shader is preceded by a line that says which dialect it is in.
constexpr const char* kSkyVertex = R"(
out vec3 ray;
uniform vec3 middle, right, up;
void main() {
    vec2 p = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    ray = middle + right * p.x + up * p.y;
    gl_Position = vec4(p, 1.0, 1.0);
})";
constexpr const char* kSkyFragment = R"(
in vec3 ray;
out vec4 colour;
uniform vec3 high, low;
void main() {
    colour = vec4(mix(low, high, clamp(ray.z * inversesqrt(dot(ray, ray)) * 2.2, 0.0, 1.0)), 1.0);
})";

constexpr const char* kGroundVertex = R"(
layout(location = 0) in vec3 place;
layout(location = 1) in vec2 where;
uniform mat4 matrix;
uniform vec3 eye;
uniform float base, exaggeration;
out float haze;
out vec2 draped;
void main() {
    vec3 p = vec3(place.xy, (place.z - base) * exaggeration);
    draped = where;
    haze = 1.0 - exp(-length(p - eye) / 9000.0);
    gl_Position = matrix * vec4(p, 1.0);
})";
constexpr const char* kGroundFragment = R"(
in float haze;
in vec2 draped;
out vec4 colour;
uniform sampler2D picture;
uniform vec3 sky;
void main() {
    colour = vec4(mix(texture(picture, draped).rgb, sky, haze), 1.0);
})";

constexpr const char* kLineVertex = R"(
layout(location = 0) in vec3 a;
layout(location = 1) in vec3 b;
layout(location = 2) in vec3 how;
layout(location = 3) in vec4 ink;
uniform mat4 matrix;
uniform vec2 size;
out vec4 colour;
void main() {
    vec4 p = matrix * vec4(a, 1.0), q = matrix * vec4(b, 1.0);
    // What is behind the eye is cut off first: a direction on the screen needs both ends in front of it.
    float near = 0.3;
    if (p.w < near && q.w < near) {
        gl_Position = vec4(0.0, 0.0, 2.0, 1.0);
        colour = ink;
        return;
    }
    if (p.w < near) p = mix(p, q, (near - p.w) / (q.w - p.w));
    if (q.w < near) q = mix(q, p, (near - q.w) / (p.w - q.w));
    vec2 s = p.xy / p.w * size, t = q.xy / q.w * size;
    vec2 along = t - s;
    float far = length(along);
    along = far > 1e-4 ? along / far : vec2(1.0, 0.0);
    vec2 aside = vec2(-along.y, along.x) * how.x * how.z;
    // A little over its ends, so that a bend has no gap.
    vec2 over = along * (how.y < 0.5 ? -1.0 : 1.0) * how.z * 0.35;
    vec4 at = how.y < 0.5 ? p : q;
    at.xy += (aside + over) / size * at.w;
    // In front of the ground it lies on; of two along the same way the thinner is on top.
    at.z -= (0.0002 + 0.0016 / max(how.z, 1.0)) * at.w;
    gl_Position = at;
    colour = ink;
})";
constexpr const char* kFaceVertex = R"(
layout(location = 0) in vec3 place;
layout(location = 1) in vec4 ink;
uniform mat4 matrix;
out vec4 colour;
void main() {
    gl_Position = matrix * vec4(place, 1.0);
    colour = ink;
})";
constexpr const char* kInkFragment = R"(
in vec4 colour;
out vec4 result;
void main() {
    result = colour;
})";

QVector3D rgb(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}

/// Whether any of a box is in front of all six planes of the view.
bool seen(const QMatrix4x4& m, const QVector3D& low, const QVector3D& high) {
    int outside[6] = {};
    for (int i = 0; i < 8; ++i) {
        const QVector4D p =
            m * QVector4D(i & 1 ? high.x() : low.x(), i & 2 ? high.y() : low.y(), i & 4 ? high.z() : low.z(), 1);
        outside[0] += p.x() < -p.w();
        outside[1] += p.x() > p.w();
        outside[2] += p.y() < -p.w();
        outside[3] += p.y() > p.w();
        outside[4] += p.z() < -p.w();
        outside[5] += p.z() > p.w();
    }
    for (const int n : outside)
        if (n == 8) return false;
    return true;
}

}  // namespace

bool SceneGl::program(QOpenGLShaderProgram& p, const char* vertex, const char* fragment) {
    const bool es = QOpenGLContext::currentContext()->isOpenGLES();
    const QByteArray head =
        es ? "#version 300 es\nprecision highp float;\nprecision highp int;\n" : "#version 330 core\n";
    if (p.addShaderFromSourceCode(QOpenGLShader::Vertex, head + vertex) &&
        p.addShaderFromSourceCode(QOpenGLShader::Fragment, head + fragment) && p.link())
        return true;
    problem_ = "its shaders do not compile: " + p.log().left(300);
    return false;
}

QString SceneGl::begin() {
    initializeOpenGLFunctions();
    problem_.clear();
    if (!program(sky_, kSkyVertex, kSkyFragment) || !program(ground_program_, kGroundVertex, kGroundFragment) ||
        !program(line_program_, kLineVertex, kInkFragment) || !program(face_program_, kFaceVertex, kInkFragment))
        return problem_;
    nothing_ = std::make_unique<QOpenGLVertexArrayObject>();
    nothing_->create();
    for (int level = 0; level < SceneGround::kLevels; ++level) {
        const auto k = static_cast<std::size_t>(level);
        const auto indices = groundTriangles(level);
        triangles_[k] = std::make_unique<QOpenGLBuffer>(QOpenGLBuffer::IndexBuffer);
        triangles_[k]->create();
        triangles_[k]->bind();
        triangles_[k]->allocate(indices.data(), static_cast<int>(indices.size() * sizeof(std::uint16_t)));
        triangles_[k]->release();
        triangle_counts_[k] = static_cast<int>(indices.size());
    }
    begun_ = true;
    changed_.fill(true);
    if (ground_) wanted_ = std::exchange(ground_, nullptr);
    return {};
}

void SceneGl::end() {
    pieces_.clear();
    picture_.reset();
    for (Shapes& s : shapes_) s = {};
    for (auto& t : triangles_) t.reset();
    nothing_.reset();
    for (QOpenGLShaderProgram* p : {&sky_, &ground_program_, &line_program_, &face_program_}) p->removeAllShaders();
    begun_ = false;
}

void SceneGl::setGround(std::shared_ptr<const SceneGround> ground) {
    wanted_ = std::move(ground);
}

void SceneGl::setShapes(Slot slot, const SceneShapes& shapes) {
    waiting_[static_cast<std::size_t>(slot)] = shapes;
    changed_[static_cast<std::size_t>(slot)] = true;
}

void SceneGl::upload() {
    if (wanted_) {
        ground_ = std::exchange(wanted_, nullptr);
        pieces_.clear();
        for (const GroundPiece& from : ground_->pieces) {
            Piece piece;
            piece.low = from.low;
            piece.high = from.high;
            piece.from = &from;
            pieces_.push_back(std::move(piece));
        }
        picture_.reset();
        if (!ground_->picture.isNull()) {
            picture_ = std::make_unique<QOpenGLTexture>(ground_->picture, QOpenGLTexture::GenerateMipMaps);
            picture_->setMinificationFilter(QOpenGLTexture::LinearMipMapNearest);
            picture_->setMagnificationFilter(QOpenGLTexture::Linear);
            picture_->setWrapMode(QOpenGLTexture::ClampToEdge);
        }
    }
    for (std::size_t slot = 0; slot < shapes_.size(); ++slot) {
        if (!changed_[slot]) continue;
        changed_[slot] = false;
        Shapes& s = shapes_[slot];
        const SceneShapes& from = waiting_[slot];
        if (!s.lines) {
            const auto make = [](auto type) {
                auto b = std::make_unique<QOpenGLBuffer>(type);
                b->create();
                return b;
            };
            s.lines = make(QOpenGLBuffer::VertexBuffer);
            s.faces = make(QOpenGLBuffer::VertexBuffer);
            s.indices = make(QOpenGLBuffer::IndexBuffer);
            s.line_array = std::make_unique<QOpenGLVertexArrayObject>();
            s.face_array = std::make_unique<QOpenGLVertexArrayObject>();
            s.line_array->create();
            s.face_array->create();
        }
        std::vector<LineVertex> lines;
        lines.reserve(from.lines.size() * 4);
        std::vector<std::uint32_t> indices;
        indices.reserve(from.lines.size() * 6);
        for (const SceneLine& l : from.lines) {
            const auto first = static_cast<std::uint32_t>(lines.size());
            for (const float end : {0.0f, 1.0f})
                for (const float side : {-1.0f, 1.0f})
                    lines.push_back({l.a.x(), l.a.y(), l.a.z(), l.b.x(), l.b.y(), l.b.z(), side, end, l.width_px,
                                     l.colour.redF(), l.colour.greenF(), l.colour.blueF(), l.colour.alphaF()});
            for (const std::uint32_t k : {0u, 1u, 2u, 1u, 3u, 2u}) indices.push_back(first + k);
        }
        std::vector<FaceVertex> faces;
        faces.reserve(from.faces.size() * 3);
        const auto add = [&](bool clear) {
            for (const SceneFace& f : from.faces)
                if ((f.colour.alpha() < 255) == clear)
                    for (const QVector3D& p : {f.a, f.b, f.c})
                        faces.push_back({p.x(), p.y(), p.z(), f.colour.redF(), f.colour.greenF(), f.colour.blueF(),
                                         f.colour.alphaF()});
        };
        add(false);
        s.solid = static_cast<int>(faces.size());
        add(true);
        s.clear = static_cast<int>(faces.size()) - s.solid;
        s.line_indices = static_cast<int>(indices.size());
        s.line_array->bind();
        s.lines->bind();
        s.lines->allocate(lines.data(), static_cast<int>(lines.size() * sizeof(LineVertex)));
        s.indices->bind();
        s.indices->allocate(indices.data(), static_cast<int>(indices.size() * sizeof(std::uint32_t)));
        const auto attribute = [&](GLuint index, int n, std::size_t stride, std::size_t offset) {
            glEnableVertexAttribArray(index);
            glVertexAttribPointer(index, n, GL_FLOAT, GL_FALSE, static_cast<GLsizei>(stride),
                                  reinterpret_cast<void*>(offset));
        };
        attribute(0, 3, sizeof(LineVertex), offsetof(LineVertex, ax));
        attribute(1, 3, sizeof(LineVertex), offsetof(LineVertex, bx));
        attribute(2, 3, sizeof(LineVertex), offsetof(LineVertex, side));
        attribute(3, 4, sizeof(LineVertex), offsetof(LineVertex, r));
        s.line_array->release();
        s.face_array->bind();
        s.faces->bind();
        s.faces->allocate(faces.data(), static_cast<int>(faces.size() * sizeof(FaceVertex)));
        attribute(0, 3, sizeof(FaceVertex), offsetof(FaceVertex, x));
        attribute(1, 4, sizeof(FaceVertex), offsetof(FaceVertex, r));
        s.face_array->release();
    }
}

QOpenGLVertexArrayObject& SceneGl::arrayOf(Piece& piece, std::size_t level) {
    Piece::Level& l = piece.levels[level];
    if (l.array) return *l.array;
    const auto knots = groundKnots(*piece.from, static_cast<int>(level));
    l.array = std::make_unique<QOpenGLVertexArrayObject>();
    l.array->create();
    l.array->bind();
    l.vertices = std::make_unique<QOpenGLBuffer>(QOpenGLBuffer::VertexBuffer);
    l.vertices->create();
    l.vertices->bind();
    l.vertices->allocate(knots.data(), static_cast<int>(knots.size() * sizeof(GroundVertex)));
    const auto attribute = [&](GLuint index, int n, std::size_t offset) {
        glEnableVertexAttribArray(index);
        glVertexAttribPointer(index, n, GL_FLOAT, GL_FALSE, sizeof(GroundVertex), reinterpret_cast<void*>(offset));
    };
    attribute(0, 3, offsetof(GroundVertex, x));
    attribute(1, 2, offsetof(GroundVertex, u));
    triangles_[level]->bind();
    l.array->release();
    return *l.array;
}

void SceneGl::drawGround(const Look& look, const QMatrix4x4& matrix, SceneCost& cost) {
    if (!ground_) return;
    ground_program_.bind();
    ground_program_.setUniformValue("matrix", matrix);
    ground_program_.setUniformValue("eye", look.camera.eye());
    ground_program_.setUniformValue("base", static_cast<float>(look.space.base_amsl_m));
    ground_program_.setUniformValue("exaggeration", static_cast<float>(look.space.exaggeration));
    ground_program_.setUniformValue("sky", rgb(look.sky_low));
    if (picture_) picture_->bind(0);
    ground_program_.setUniformValue("picture", 0);
    const QVector3D eye = look.camera.eye();
    const QSize size = look.viewport.size();
    const double focal_px = size.height() / (2 * std::tan(look.camera.fov_deg / 2 * M_PI / 180));
    const auto base = static_cast<float>(look.space.base_amsl_m), k = static_cast<float>(look.space.exaggeration);
    struct Drawn {
        double distance;
        Piece* piece;
    };
    std::vector<Drawn> drawn;
    for (Piece& piece : pieces_) {
        const QVector3D low(piece.low.x(), piece.low.y(), (piece.low.z() - 1 - base) * k);
        const QVector3D high(piece.high.x(), piece.high.y(), (piece.high.z() + 1 - base) * k);
        if (!seen(matrix, low, high)) continue;
        const QVector3D nearest(std::clamp(eye.x(), low.x(), high.x()), std::clamp(eye.y(), low.y(), high.y()),
                                std::clamp(eye.z(), low.z(), high.z()));
        drawn.push_back({std::max(1.0, static_cast<double>((nearest - eye).length())), &piece});
    }
    // The nearest first: what they hide is not painted.
    std::sort(drawn.begin(), drawn.end(), [](const Drawn& a, const Drawn& b) { return a.distance < b.distance; });
    for (const auto& [distance, nearest] : drawn) {
        Piece& piece = *nearest;
        const auto level = static_cast<std::size_t>(groundLevel(ground_->cell_m, focal_px / distance));
        QOpenGLVertexArrayObject& array = arrayOf(piece, level);
        array.bind();
        glDrawElements(GL_TRIANGLES, triangle_counts_[level], GL_UNSIGNED_SHORT, nullptr);
        array.release();
        cost.triangles += static_cast<std::size_t>(triangle_counts_[level]) / 3;
        ++cost.pieces;
    }
    if (picture_) picture_->release();
    ground_program_.release();
}

void SceneGl::drawLines(const Look& look, const QMatrix4x4& matrix, const Shapes& s) {
    if (s.line_indices == 0) return;
    line_program_.bind();
    line_program_.setUniformValue("matrix", matrix);
    // Widths are in pixels: half of the viewport is 1.
    line_program_.setUniformValue("size", QVector2D(static_cast<float>(look.viewport.width() / look.line_scale),
                                                    static_cast<float>(look.viewport.height() / look.line_scale)));
    s.line_array->bind();
    glDrawElements(GL_TRIANGLES, s.line_indices, GL_UNSIGNED_INT, nullptr);
    s.line_array->release();
    line_program_.release();
}

void SceneGl::drawFaces(const Look&, const QMatrix4x4& matrix, const Shapes& s, bool clear) {
    const int count = clear ? s.clear : s.solid;
    if (count == 0) return;
    face_program_.bind();
    face_program_.setUniformValue("matrix", matrix);
    s.face_array->bind();
    glDrawArrays(GL_TRIANGLES, clear ? s.solid : 0, count);
    s.face_array->release();
    face_program_.release();
}

void SceneGl::draw(const Look& look, SceneCost& cost) {
    if (!begun_) return;
    upload();
    double before = monotonicMs();
    const auto took = [&](double& to) {
        if (look.measure) glFinish();
        const double now = monotonicMs();
        to += now - before;
        before = now;
    };
    glEnable(GL_SCISSOR_TEST);
    glScissor(look.viewport.x(), look.viewport.y(), look.viewport.width(), look.viewport.height());
    glViewport(look.viewport.x(), look.viewport.y(), look.viewport.width(), look.viewport.height());
    glDepthMask(GL_TRUE);
    glClear(GL_DEPTH_BUFFER_BIT);
    glDisable(GL_BLEND);
    glDisable(GL_CULL_FACE);
    const QMatrix4x4 matrix = look.camera.matrix(look.viewport.size());
    glEnable(GL_DEPTH_TEST);
    glDepthFunc(GL_LEQUAL);
    drawGround(look, matrix, cost);
    took(cost.ground_ms);
    // The sky comes after the ground: only what is left of the picture is painted.
    const QSize size = look.viewport.size();
    const auto ray = [&](double x, double y) {
        const QVector3D r = look.camera.ray({x, y}, size);
        return r / QVector3D::dotProduct(r, look.camera.direction());
    };
    const QVector3D middle = ray(size.width() / 2.0, size.height() / 2.0);
    sky_.bind();
    sky_.setUniformValue("middle", middle);
    sky_.setUniformValue("right", ray(size.width(), size.height() / 2.0) - middle);
    sky_.setUniformValue("up", ray(size.width() / 2.0, 0) - middle);
    sky_.setUniformValue("high", rgb(look.sky_high));
    sky_.setUniformValue("low", rgb(look.sky_low));
    nothing_->bind();
    glDrawArrays(GL_TRIANGLES, 0, 3);
    nothing_->release();
    sky_.release();
    took(cost.sky_ms);
    const std::size_t shown = look.eye ? 1 : shapes_.size();
    for (std::size_t i = 0; i < shown; ++i) drawFaces(look, matrix, shapes_[i], false);
    glEnable(GL_BLEND);
    glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    for (std::size_t i = 0; i < shown; ++i) {
        drawLines(look, matrix, shapes_[i]);
        cost.lines += static_cast<std::size_t>(shapes_[i].line_indices) / 6;
    }
    glDepthMask(GL_FALSE);
    for (std::size_t i = 0; i < shown; ++i) drawFaces(look, matrix, shapes_[i], true);
    glDepthMask(GL_TRUE);
    took(cost.shapes_ms);
    glDisable(GL_DEPTH_TEST);
    glDisable(GL_BLEND);
    glDisable(GL_SCISSOR_TEST);
}

}  // namespace anhinga
