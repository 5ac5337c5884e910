#version 330 core
in vec3 in_position;
in vec3 in_normal;
in vec4 in_tangent;
in vec2 in_uv;
uniform mat4 to_clip;
out vec3 position;
out vec3 normal;
out vec4 tangent;
out vec2 uv;
void main() {
    position = in_position;
    normal = in_normal;
    tangent = in_tangent;
    uv = in_uv;
    gl_Position = to_clip * vec4(in_position, 1.0);
}
