"""The manifest of an AAB: an XML tree as a protocol buffer (platform source: Resources.proto, message XmlNode).

Single attributes are changed; every other field, known or not, is copied byte for byte.
"""

from __future__ import annotations

from rampa.core.bundle.elements import ANDROID, IDS, NUMBERS, Element
from rampa.core.bundle.protobuf import Field, Message
from rampa.core.errors import Damaged

NODE_ELEMENT = 1
ELEMENT_NAME, ELEMENT_ATTRIBUTE, ELEMENT_CHILD = 3, 4, 5
ATTRIBUTE_NAMESPACE, ATTRIBUTE_NAME, ATTRIBUTE_VALUE, ATTRIBUTE_ID, ATTRIBUTE_ITEM = 1, 2, 3, 5, 6
ITEM_REFERENCE, ITEM_STRING, ITEM_PRIMITIVE = 1, 2, 7
REFERENCE_ID, STRING_VALUE = 2, 1
DECIMAL, HEXADECIMAL, BOOLEAN = 6, 7, 8
MAX_DEPTH = 60


class ProtoXml:
    """A manifest in protocol buffers. Raises `Damaged` when it is not one."""

    def __init__(self, data: bytes) -> None:
        self._node = Message(data)
        self.root = self._tree()

    def _tree(self) -> Element:
        found = self._node.last(NODE_ELEMENT)
        if found is None:
            raise Damaged("manifest.protobuf", "the protocol-buffer manifest has no root element")
        return _element(self._node.message(found), 0)

    def set(self, element: str, attribute: str, value: str | int | bool) -> None:
        """Sets an attribute of the first element of that name, in the order of the document."""
        changed = _with(self._node, element, NUMBERS[attribute], value)
        if not changed:
            raise Damaged("manifest.protobuf", f"the manifest has no element {element}")
        self.root = self._tree()

    def encode(self) -> bytes:
        return self._node.encode()


def _element(message: Message, depth: int) -> Element:
    if depth > MAX_DEPTH:
        raise Damaged("manifest.protobuf", "the manifest's elements are nested absurdly deep")
    element = Element(message.text(ELEMENT_NAME))
    for field in message.all(ELEMENT_ATTRIBUTE):
        attribute = message.message(field)
        element.attributes[_key(attribute)] = _value(attribute)
    for field in message.all(ELEMENT_CHILD):
        node = message.message(field)
        child = node.last(NODE_ELEMENT)
        if child is not None:
            element.children.append(_element(node.message(child), depth + 1))
    return element


def _key(attribute: Message) -> str:
    # By its number where it has one: what it is called in the file is free, and tools shorten it.
    known = IDS.get(attribute.number(ATTRIBUTE_ID))
    if known:
        return known
    name = attribute.text(ATTRIBUTE_NAME)
    return name if attribute.text(ATTRIBUTE_NAMESPACE) == ANDROID else f":{name}"


def _value(attribute: Message) -> str | int | bool:
    """The compiled item where there is one: the text beside it is for people."""
    item = attribute.last(ATTRIBUTE_ITEM)
    text = attribute.text(ATTRIBUTE_VALUE)
    if item is None:
        return text
    compiled = attribute.message(item)
    primitive = compiled.last(ITEM_PRIMITIVE)
    if primitive is not None:
        return _primitive(compiled.message(primitive), text)
    reference = compiled.last(ITEM_REFERENCE)
    if reference is not None:
        return f"@{compiled.message(reference).number(REFERENCE_ID):08x}"
    string = compiled.last(ITEM_STRING)
    return compiled.message(string).text(STRING_VALUE) if string is not None else text


def _primitive(value: Message, text: str) -> str | int | bool:
    for number in (DECIMAL, HEXADECIMAL):
        field = value.last(number)
        if field is not None:
            low = field.value & 0xFFFFFFFF
            return low - (1 << 32) if low >= 1 << 31 else low
    field = value.last(BOOLEAN)
    return bool(field.value) if field is not None else text


def _with(node: Message, name: str, number: int, value: str | int | bool) -> bool:
    """Changes the first element called `name` below this node; rebuilds only what lies on the way to it."""
    field = node.last(NODE_ELEMENT)
    if field is None:
        return False
    element = node.message(field)
    if element.text(ELEMENT_NAME) == name:
        _set(element, number, value)
    else:
        for child in element.all(ELEMENT_CHILD):
            below = element.message(child)
            if _with(below, name, number, value):
                element.put(ELEMENT_CHILD, below.encode(), at=child)
                break
        else:
            return False
    node.put(NODE_ELEMENT, element.encode(), at=field)
    return True


def _set(element: Message, number: int, value: str | int | bool) -> None:
    found: Field | None = None
    for field in element.all(ELEMENT_ATTRIBUTE):
        if element.message(field).number(ATTRIBUTE_ID) == number:
            found = field
    attribute = element.message(found) if found is not None else _new(number)
    text = ("true" if value else "false") if isinstance(value, bool) else str(value)
    attribute.put(ATTRIBUTE_VALUE, text.encode())
    # A text's compiled form says the same a second time: left as it was, it would go on saying the old one.
    if isinstance(value, str):
        attribute.without(ATTRIBUTE_ITEM)
    else:
        attribute.put(ATTRIBUTE_ITEM, _item(value))
    if found is not None:
        element.put(ELEMENT_ATTRIBUTE, attribute.encode(), at=found)
        return
    added = Message()
    added.put(ELEMENT_ATTRIBUTE, attribute.encode())
    places = [i for i, f in enumerate(element.fields) if f.number == ELEMENT_ATTRIBUTE]
    element.fields.insert(places[-1] + 1 if places else len(element.fields), added.fields[0])


def _new(number: int) -> Message:
    attribute = Message()
    attribute.put(ATTRIBUTE_NAMESPACE, ANDROID.encode())
    attribute.put(ATTRIBUTE_NAME, IDS[number].encode())
    attribute.put(ATTRIBUTE_ID, number)
    return attribute


def _item(value: int | bool) -> bytes:
    primitive, item = Message(), Message()
    primitive.put(BOOLEAN if isinstance(value, bool) else DECIMAL, int(value))
    item.put(ITEM_PRIMITIVE, primitive.encode())
    return item.encode()
