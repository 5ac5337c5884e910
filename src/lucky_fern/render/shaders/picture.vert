#version 330 core
// A picture over the whole of what is drawn into.
in vec2 in_position;
out vec2 at;

void main() {
    at = in_position * 0.5 + 0.5;
    gl_Position = vec4(in_position, 0.0, 1.0);
}
