#version 330 core
in vec4 colour;
out vec4 result;
void main() { result = colour; }
