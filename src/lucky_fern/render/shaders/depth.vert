#version 330 core
in vec3 in_position;
uniform mat4 to_clip;
void main() {
    gl_Position = to_clip * vec4(in_position, 1.0);
}
