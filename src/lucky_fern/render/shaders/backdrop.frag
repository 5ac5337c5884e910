#version 330 core
in float up;
uniform vec3 low;
uniform vec3 high;
out vec4 result;
void main() { result = vec4(mix(low, high, up), 1.0); }
