#version 330 core
in vec2 in_position;
out float up;
void main() { up = in_position.y * 0.5 + 0.5; gl_Position = vec4(in_position, 0.99999, 1.0); }
