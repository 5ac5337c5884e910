#version 330 core
in vec2 in_corner;                // 0…1
uniform vec4 place;               // clip-space left, bottom, width, height
out vec2 uv;
void main() { uv = in_corner; gl_Position = vec4(place.xy + in_corner * place.zw, 0.0, 1.0); }
