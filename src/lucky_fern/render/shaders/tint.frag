#version 330 core
in vec3 colour;
uniform float strength;
out vec4 result;
void main() { result = vec4(colour, strength); }
