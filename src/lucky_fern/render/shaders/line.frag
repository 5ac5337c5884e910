#version 330 core
uniform vec4 ink;
out vec4 result;
void main() { result = ink; }
