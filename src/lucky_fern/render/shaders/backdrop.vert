#version 330 core
in vec2 in_position;
out float up;
out vec2 place;
void main() {
    up = in_position.y * 0.5 + 0.5;
    place = in_position;
    gl_Position = vec4(in_position, 0.99999, 1.0);
}
