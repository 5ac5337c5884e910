#version 330 core
in vec2 at;
uniform sampler2D picture;
out vec4 result;

void main() {
    result = texture(picture, at);
}
